<script lang="ts">
  import { codeWord } from '../../lib/code-words';
  import { counted, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { level, proper, signed, withUnit } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Mark from '../../parts/Mark.svelte';
  import ComputerLeaf from './ComputerLeaf.svelte';
  import ControllersLeaf from './ControllersLeaf.svelte';
  import InterfaceLeaf from './InterfaceLeaf.svelte';
  import MicrophoneLeaf from './MicrophoneLeaf.svelte';
  import OutlookPicture from './OutlookPicture.svelte';
  import PlacementPicture from './PlacementPicture.svelte';
  import RoomLeaf from './RoomLeaf.svelte';
  import SourceChoice from './SourceChoice.svelte';

  let { overview }: { overview: Overview } = $props();

  const rig = $derived(overview.rig);
  const outlook = $derived(overview.outlook);
  const microphone = $derived(overview.microphones.find((thing) => thing.id === rig.microphone_id));
  const box = $derived(overview.interfaces.find((thing) => thing.id === rig.interface_id));
  const room = $derived(overview.rooms.find((thing) => thing.id === rig.room_id));
  const audit = $derived(overview.computer.findings);
  const leaf = $derived(place.leafName);
  const LEADS: Record<string, string> = {
    outlook: t('What this rig should deliver at the capsule; measured values replace expected ones.'),
    microphone: t('Microphones are stored and can be used in any rig. Leave empty what you do not know.'),
    interface: t('Preamp and converter, or what the microphone has inside.'),
    room: t('The room, and how you sit in it. Distance comes first.'),
    controllers: t('Knobs and pads at hand: touch a setting, turn a knob.'),
    computer: t('What the computer does before any program hears you, worst first.'),
  };
</script>

<Bench title="Rig" lead={LEADS[leaf] ?? ''} beside={leaf === 'outlook' ? 'room' : 'outlook'}>
  {#snippet evidence()}
    {#if leaf === 'microphone' && microphone}<MicrophoneLeaf {overview} {microphone} />
    {:else if leaf === 'interface' && box}<InterfaceLeaf {overview} {box} />
    {:else if leaf === 'room' && room}<RoomLeaf {overview} {room} />
    {:else if leaf === 'computer'}<ComputerLeaf {overview} />
    {:else if leaf === 'controllers'}<ControllersLeaf {overview} />
    {:else}
      <div class="outlook">
        <OutlookPicture {outlook} maxSpl={microphone?.max_spl_db ?? null} />
      </div>
    {/if}
  {/snippet}
  {#snippet second(shown)}
    {#if shown === 'room'}<PlacementPicture {rig} {outlook} />
    {:else}<OutlookPicture {outlook} maxSpl={microphone?.max_spl_db ?? null} />{/if}
  {/snippet}
  {#snippet slip()}
    <SourceChoice {overview} />
    {#each outlook.warnings as warning (warning.code)}
      <p class="warning"><Mark kind="fault" /><span>{proper(warning.sentence)}</span></p>
    {/each}
    {#if audit.length}
      <p class="warning">
        <Mark kind="fault" />
        <span
          >{counted(
            audit.length,
            '{count} thing disagrees in the sound settings; the worst: {title}.',
            '{count} things disagree in the sound settings; the worst: {title}.',
            { title: audit[0]?.title },
          )}</span
        >
        <button type="button" onclick={() => (place.leaf.rig = 'computer')}
          >{audit.length === 1 ? t('See it') : t('See them')}</button
        >
      </p>
    {/if}
    <Fact
      name={outlook.floor_measured && outlook.talk_measured ? t('SNR, measured') : t('SNR, expected')}
      value={withUnit(outlook.voice_over_floor_db, 'dB', 0)}
    >
      Normal speech is 60 dB(A) at one metre (ISO 9921),
      <span class="num">{level(outlook.expected_talk_db_spl, 0)} dB</span> where the capsule is.
    </Fact>
    {#each outlook.facts as fact (fact.name)}
      <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
    {/each}
    {#each outlook.improvements as improvement, i (improvement.title)}
      <Fact name={improvement.title} value={`${signed(improvement.gains_db, 1)} dB`}>
        {i === 0 ? t('Most helpful: ') : ''}{proper(improvement.because)}
      </Fact>
    {/each}
    <Fact name="Talk and floor, expected" value={outlook.talk_dbfs === null ? t('unknown') : ''}>
      {#if outlook.talk_dbfs !== null}
        <span class="num">{withUnit(outlook.talk_dbfs, 'dBFS', 0)}</span> and
        <span class="num">{withUnit(outlook.floor_dbfs, 'dBFS(A)', 0)}</span> with the preamp where it is now.
      {:else}
        Sensitivity, maximum input and a preamp marked in dB would give them.
      {/if}
    </Fact>
    <Fact name="Proximity at 100 Hz" value={`${signed(outlook.proximity_db, 1)} dB`}>
      A {codeWord(microphone?.pattern ?? '')} at {rig.distance_cm} cm, from the spherical wave.
    </Fact>
    {#if outlook.direct_over_reverberant_db !== null}
      <Fact name="Voice over reverberation" value={`${signed(outlook.direct_over_reverberant_db, 0)} dB`}
        >Equal at {level(outlook.critical_distance_m! * 100, 0)} cm in this room.</Fact
      >
    {/if}
  {/snippet}
  {#snippet action()}
    <Button primary={overview.steps[0]?.status !== 'confirmed'} onclick={() => void desk.confirm('rig')}
      >Confirm rig</Button
    >
    <span>then Quiet</span>
  {/snippet}
</Bench>

<style>
  .outlook {
    height: 100%;
  }
  .warning {
    display: flex;
    gap: 9px;
    align-items: flex-start;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    color: var(--ink);
    font-size: 13px;
    line-height: 1.4;
  }
  .warning :global(svg) {
    margin-top: 3px;
  }
  .warning span {
    flex: 1;
  }
  .warning button {
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    font-weight: 600;
    white-space: nowrap;
    cursor: pointer;
  }
</style>
