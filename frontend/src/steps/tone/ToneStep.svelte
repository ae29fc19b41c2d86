<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { frequency, signed } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import SettingRow from '../../parts/SettingRow.svelte';
  import StageBlock from '../../parts/StageBlock.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import CorridorPicture from './CorridorPicture.svelte';
  import HissPicture from './HissPicture.svelte';
  import PartsLeaf from './PartsLeaf.svelte';
  import { PASSAGE } from './passage';
  import TargetLeaf from './TargetLeaf.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const tone = $derived(overview.tone);
  const step = $derived(overview.steps.find((s) => s.name === 'tone'));
  const leaf = $derived(desk.leafName);
  const of = (kind: string) => overview.settings.filter((s) => s.stage === kind);
  const bands = $derived(of('equalizer').length);
  const reading = $derived(desk.progress?.purpose === 'passage');
  const kinds = $derived({ corridor: ['lowpass'], hiss: ['deplosive', 'deesser'] }[leaf] ?? []);
  const stages = $derived(overview.stages.filter((s) => kinds.includes(s.kind)));
  const warnings = $derived(overview.delivery?.warnings ?? []);
  const lead = $derived(
    {
      corridor: `Where your voice lands through this mic and this room, and what brings it to ${tone?.target_name ?? 'average speech'}.`,
      target: 'What the corridor follows, and how you bend it.',
      hiss: 'Every burst of breath and every “s” of your talk, and where they are held.',
      parts: 'Hear one part of your voice alone, or slide a narrow band along it.',
    }[leaf] ?? '',
  );
</script>

<Bench title="Tone" {lead}>
  {#snippet evidence()}
    {#if reading || !tone}
      <Waiting
        text={overview.quiet
          ? 'Read this aloud at your normal level. It holds the sounds of English.'
          : 'Take the room in Quiet first: the fit has to know where your voice ends and the room begins.'}
        passage={overview.quiet ? PASSAGE : undefined}
      />
    {:else if leaf === 'target'}<TargetLeaf {overview} {tone} />
    {:else if leaf === 'hiss'}<HissPicture {overview} {tone} />
    {:else if leaf === 'parts'}<PartsLeaf {tone} />
    {:else}<CorridorPicture {tone} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if tone}
      {#if step?.status === 'stale'}<Fact name="Stale" value="" mark="fault">{step.why} Fit again.</Fact>{/if}
      {#if leaf === 'corridor' || leaf === 'target'}
        <Fact
          name="Left over"
          value={`${tone.left_over_rms_db.toFixed(1)} dB rms`}
          mark={tone.left_over_rms_db <= tone.corridor_db ? 'good' : 'fault'}
        >
          {frequency(tone.low_hz)} to {frequency(tone.high_hz)}, worst {tone.worst_db.toFixed(1)} dB; {tone.voiced_s.toFixed(
            0,
          )} s of voiced sound{tone.passages > 1 ? `, ${tone.passages} passages averaged` : ''}, {bands} bands used of 8.
          {tone.left_alone}
        </Fact>
      {/if}
      {#if leaf === 'corridor'}
        {#each [...of('highpass'), ...of('equalizer')] as setting (setting.stage + setting.name)}<SettingRow
            {setting}
          />{/each}
      {/if}
      {#if leaf === 'corridor'}
        <p class="files">
          The equalizer for other programs:
          <a href="/api/equalizer?what=biquads&rate_hz={overview.rig.rate_hz}" download>biquads, CSV</a>,
          <a href="/api/equalizer?what=impulse&rate_hz={overview.rig.rate_hz}" download>impulse response, WAV</a>,
          <a href="/api/response?what=correction" download>curve, text</a>.
        </p>
      {/if}
      {#if leaf === 'parts'}
        {#each tone.resonances as found (found.frequency_hz)}
          <Fact name="Stands out at {frequency(found.frequency_hz)}" value="{signed(found.over_db)} dB" mark="none">
            Over the octave around it.
            <button class="link" type="button" onclick={() => desk.listen('probe', found.frequency_hz)}
              >Hear it lifted</button
            >
          </Fact>
        {:else}
          <Fact name="Nothing stands out" value="" mark="good"
            >No narrow place rises 2 dB over the octave around it.</Fact
          >
        {/each}
      {/if}
      {#each stages as stage (stage.kind)}
        <StageBlock
          {stage}
          settings={of(stage.kind)}
          open={leaf === 'hiss'}
          warning={warnings.find((w) => w.kind === stage.kind)?.sentence}
        />
      {/each}
    {:else}
      <Unknown what="your tone" />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={step?.status === 'open'}
      disabled={!tone || step?.status === 'stale'}
      onclick={() => void desk.settle('tone')}>Settle Tone</Button
    >
    <Button
      primary={step?.status === 'stale'}
      disabled={!tone || desk.busy}
      onclick={() => void desk.do('POST', 'tone/fit')}>Fit again</Button
    >
    {#if tone && leaf === 'corridor' && overview.rig.source !== 'file'}
      <Button
        quiet
        pressed={overview.watch.on}
        title="Your voice under the corridor while you talk"
        onclick={() => void (overview.watch.on ? desk.stopWatch() : desk.watch('talk'))}
        >{overview.watch.on ? 'Stop listening' : 'Listen in'}</Button
      >
    {/if}
    <span>then Steady</span>
  {/snippet}
</Bench>

<style>
  .files {
    padding: 8px 0;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
