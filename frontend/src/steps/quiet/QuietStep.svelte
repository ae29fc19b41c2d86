<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { frequency, level, withUnit } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import BandPicture from './BandPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const quiet = $derived(overview.quiet);
  const step = $derived(overview.steps.find((s) => s.name === 'quiet'));

  const strongest = $derived(
    quiet?.hum?.harmonics.reduce((a, b) => ((b.level_dbfs ?? -200) > (a.level_dbfs ?? -200) ? b : a)) ?? null,
  );
</script>

<Bench
  title="Quiet"
  lead="The room at rest with nobody talking, in third octaves. Everything later is told apart from this."
>
  {#snippet evidence()}
    {#if quiet}<BandPicture {quiet} />
    {:else}<Waiting
        text="Sit as you will when you talk, say nothing, touch nothing, and take the room for 15 s."
      />{/if}
  {/snippet}
  {#snippet slip()}
    {#if quiet}
      {#if step?.why}<Fact name="Stale" value="" mark="fault">{step.why} Take the room again.</Fact>{/if}
      <Fact name="Room at rest" value={withUnit(quiet.rms_dbfs, 'dBFS')}>
        RMS by AES17. A-weighted, as the ear weighs it: <span class="num"
          >{withUnit(quiet.a_weighted_dbfs, 'dBFS')}</span
        >.
      </Fact>
      <Fact
        name="Spread over time"
        value={`${quiet.spread_db.toFixed(1)} dB`}
        mark={quiet.spread_db < 3 ? 'good' : 'fault'}
      >
        {quiet.spread_db < 3
          ? `Steady over ${quiet.duration_s.toFixed(0)} s, so this take speaks for the room.`
          : 'Something came or went during the take. Take it again when it is steady.'}
        Half of all 10 ms frames lie under <span class="num">{level(quiet.percentiles_dbfs.p50)}</span>, 99 % under
        <span class="num">{level(quiet.percentiles_dbfs.p99)} dBFS</span>.
      </Fact>
      <Fact
        name="Mains hum"
        value={quiet.hum ? `${quiet.hum.mains_hz.toFixed(1)} Hz, ${level(quiet.hum.level_dbfs)} dBFS` : 'none found'}
        mark={quiet.hum ? 'fault' : 'good'}
      >
        {#if quiet.hum}
          {quiet.hum.harmonics.length} harmonics, strongest at {frequency(strongest?.hz ?? 0)}.
          {strongest && strongest.hz > 75
            ? 'Twice the mains and up: a motor, a lamp or a power supply. Switch them off one at a time.'
            : 'The mains itself: keep the cable away from power leads.'}
        {:else}No family of lines at 50 or 60 Hz stands out of the noise.{/if}
      </Fact>
      <Fact name="Rumble under 60 Hz" value={withUnit(quiet.rumble_dbfs, 'dBFS')} />
      {#each quiet.tones as tone (tone.hz)}
        <Fact name="Steady tone" value={`${frequency(tone.hz)}, ${level(tone.level_dbfs)} dBFS`} mark="fault">
          {tone.prominence_db.toFixed(0)} dB over the noise beside it: prominent by ECMA-418-1.
        </Fact>
      {/each}
      <Fact name="Clicks" value={`${quiet.transients.count}`} mark={quiet.transients.count ? 'fault' : 'good'}>
        {quiet.transients.count
          ? `Up to ${withUnit(quiet.transients.peak_dbfs, 'dBFS')}. For the room at rest, let keys and mouse be.`
          : 'No key, knock or crackle in the take.'}
      </Fact>
      {#if quiet.flat_tops.count}
        <Fact name="Clipped" value={`${quiet.flat_tops.count} times`} mark="fault"
          >Flat at {withUnit(quiet.flat_tops.level_dbfs, 'dBFS')}. Turn the preamp down.</Fact
        >
      {/if}
    {:else}
      <Unknown what="the room" />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={!!quiet && step?.status === 'open'}
      disabled={!quiet || step?.status === 'stale'}
      onclick={() => void desk.settle('quiet')}>Settle Quiet</Button
    >
    <span>then Gain</span>
  {/snippet}
</Bench>
