<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { frequency } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import SettingRow from '../../parts/SettingRow.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import CorridorPicture from './CorridorPicture.svelte';
  import { PASSAGE } from './passage';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const tone = $derived(overview.tone);
  const step = $derived(overview.steps.find((s) => s.name === 'tone'));
  const settings = $derived(overview.settings.filter((s) => s.stage === 'highpass' || s.stage === 'equalizer'));
  const bands = $derived(settings.filter((s) => s.stage === 'equalizer').length);
  const reading = $derived(desk.progress?.purpose === 'passage');
</script>

<Bench
  title="Tone"
  lead="Where your voice lands through this mic and this room, and what brings it inside the corridor of average speech."
>
  {#snippet evidence()}
    {#if reading || !tone}
      <Waiting
        text={overview.quiet
          ? 'Read this aloud at your normal level. It holds the sounds of English.'
          : 'Take the room in Quiet first: the fit has to know where your voice ends and the room begins.'}
        passage={overview.quiet ? PASSAGE : undefined}
      />
    {:else}<CorridorPicture {tone} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if tone}
      {#if step?.status === 'stale'}<Fact name="Stale" value="" mark="fault">{step.why} Fit again.</Fact>{/if}
      <Fact
        name="Left over"
        value={`${tone.left_over_rms_db.toFixed(1)} dB rms`}
        mark={tone.left_over_rms_db <= tone.corridor_db ? 'good' : 'fault'}
      >
        {frequency(tone.low_hz)} to {frequency(tone.high_hz)}, worst {tone.worst_db.toFixed(1)} dB; {tone.voiced_s.toFixed(
          0,
        )} s of voiced sound, {bands} bands used of 8.
        {tone.left_alone}
      </Fact>
      {#each settings as setting (setting.stage + setting.name)}<SettingRow {setting} />{/each}
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
    <span>then Send</span>
  {/snippet}
</Bench>
