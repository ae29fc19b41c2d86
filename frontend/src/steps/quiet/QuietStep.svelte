<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { proper, signed, withUnit } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import CauseList from '../../parts/CauseList.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import BandPicture from './BandPicture.svelte';
  import HuntPicture from './HuntPicture.svelte';
  import PartsLeaf from './PartsLeaf.svelte';
  import Readings from './Readings.svelte';

  let { overview }: { overview: Overview } = $props();
  const quiet = $derived(overview.quiet);
  const used = $derived(overview.in_use);
  const leaf = $derived(place.leafName);
  const step = $derived(overview.steps.find((s) => s.name === 'quiet'));
  const shown = $derived(leaf === 'in-use' ? used : quiet);
  const causes = $derived(
    overview.causes?.causes.filter((cause) => (cause.take === 'in-use') === (leaf === 'in-use')) ?? [],
  );
  const predicted = $derived(overview.predictions[leaf === 'in-use' ? 'in-use' : 'rest']);
  const LEADS: Record<string, string> = {
    rest: t('The room at rest with nobody talking, in third octaves. Everything later is compared with this.'),
    'in-use': t('The room as it really is: type, move, drink, let the fan run. Stitches are the room at rest.'),
    parts: t('Noise of room, preamp and converter, so that you fix what dominates.'),
    listen: t('Twenty times a second, against what you hold. Switch things off one by one.'),
  };
</script>

<Bench
  title="Quiet"
  lead={LEADS[leaf] ?? ''}
  beside={leaf === 'rest' ? (used ? 'in-use' : null) : quiet ? 'rest' : null}
>
  {#snippet evidence()}
    {#if leaf === 'listen'}<HuntPicture rig={overview.rig} {quiet} on={overview.watch.on} />
    {:else if leaf === 'parts'}<PartsLeaf {overview} />
    {:else if leaf === 'in-use'}
      {#if used}<BandPicture
          quiet={used}
          held={quiet?.third_octaves ?? []}
          heldName={quiet ? t('stitches: at rest') : ''}
        />
      {:else}<Waiting
          text="For 20 s, do what you do while you talk: type, click, put a cup down, let the fan run. Do not talk."
        />{/if}
    {:else if quiet}<BandPicture {quiet} />
    {:else}<Waiting
        text="Sit as you will when you talk, do not talk, touch nothing, and record the room for 15 s."
      />{/if}
  {/snippet}
  {#snippet second(shown)}
    {#if shown === 'in-use' && used}
      <BandPicture quiet={used} held={quiet?.third_octaves ?? []} heldName="stitches: at rest" />
    {:else if quiet}<BandPicture {quiet} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if shown}
      {#if step?.why}
        <Fact
          name="Outdated"
          value={predicted ? t('{change} dB predicted', { change: signed(predicted.room_db, 1) }) : ''}
          mark="fault"
        >
          {proper(step.why)}
          {#if predicted}Until you record the room again:
            <span class="num"
              >{withUnit(quiet?.rms_dbfs == null ? null : quiet.rms_dbfs + predicted.room_db, 'dBFS')}</span
            >, as {proper(predicted.because)}.{:else}Record the room again.{/if}
        </Fact>
      {/if}
      <Fact
        name={leaf === 'in-use' ? t('Room in use') : t('Room at rest')}
        value={withUnit(shown.rms_dbfs, 'dBFS')}
        mark={leaf === 'in-use' ? undefined : overview.causes?.enough ? 'good' : 'fault'}
      >
        {leaf === 'in-use'
          ? t('It comes and goes by {spread_db} dB.', { spread_db: marked(shown.spread_db.toFixed(0)) })
          : overview.causes?.steady
            ? t('Steady over {duration_s} s, so this take represents the room.', {
                duration_s: marked(shown.duration_s.toFixed(0)),
              })
            : t('Something came or went during the take. Record it again when it is steady.')}
        A-weighted, as the ear weighs it: <span class="num">{withUnit(shown.a_weighted_dbfs, 'dBFS')}</span>.
      </Fact>
      <h3>What makes the noise floor <span>and how far it would fall without it, A-weighted</span></h3>
      <CauseList {causes} none="Nothing needs fixing." />
      <details>
        <summary>All readings{leaf === 'in-use' ? t(', in use') : t(', at rest')}</summary>
        <Readings quiet={shown} />
      </details>
    {:else}
      <Unknown what={leaf === 'in-use' ? t('the room in use') : t('the room')} />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={!!quiet && step?.status === 'open'}
      disabled={!quiet || step?.status === 'stale'}
      onclick={() => void desk.confirm('quiet')}>Confirm quiet</Button
    >
    <span>then Gain</span>
  {/snippet}
</Bench>

<style>
  h3 {
    margin-top: 10px;
    font-size: 14px;
  }
  h3 span {
    color: var(--quiet-ink);
    font: 400 12px/1.3 var(--text);
  }
  details {
    margin-top: 8px;
  }
  summary {
    padding: 4px 0;
    font-weight: 600;
    cursor: pointer;
  }
</style>
