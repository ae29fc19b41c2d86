<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { clock } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import BlindLeaf from './BlindLeaf.svelte';
  import CarryLeaf from './CarryLeaf.svelte';
  import CarrySlip from './CarrySlip.svelte';
  import DriftPicture from './DriftPicture.svelte';
  import Moved from './Moved.svelte';
  import ReportLeaf from './ReportLeaf.svelte';
  import SinceLeaf from './SinceLeaf.svelte';
  import TallyPicture from './TallyPicture.svelte';
  import TwoLeaf from './TwoLeaf.svelte';
  import TwoSlip from './TwoSlip.svelte';
  import WatchLine from './WatchLine.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let chosen = $state<number | null>(null);
  const step = $derived(overview.steps.find((s) => s.name === 'prove'));
  const leaf = $derived(place.leafName);
  const checks = $derived(overview.checks ?? []);
  const shown = $derived(checks.find((check) => check.take_id === chosen) ?? checks.at(-1) ?? null);
  const newest = $derived(shown !== null && shown.take_id === checks.at(-1)?.take_id);
  const series = $derived(overview.ended_series[0] ?? null);
  const beside = $derived(leaf === 'since' ? (series ? 'blind' : null) : shown ? 'since' : null);
  const lead = $derived(
    {
      since: t(
        'Twenty seconds, the room and then your voice, against the calibration: what drifted, why, and what to do.',
      ),
      two: t('One sentence through both. The voice cancels; the rest is the difference between the two rigs.'),
      carry: t(
        'Every confirmation saves a version. What travels goes into a file; what belongs to a place is measured there.',
      ),
      report: t('The whole calibration on one page, for you and for an engineer.'),
    }[leaf] ?? t('The same sentence twice, equally loud, started together. Listen, switch, then say what you hear.'),
  );

  function leaveOff(stage: string): void {
    void desk.do('patch', '/api/stages', { body: { stage, on: false } });
  }
</script>

<Bench title="Prove" {lead} {beside}>
  {#snippet evidence()}
    {#if leaf === 'carry'}
      <CarryLeaf {overview} />
    {:else if leaf === 'two'}
      <TwoLeaf {overview} />
    {:else if !overview.delivery}
      <Waiting text="Read the passage in Tone first: there is no treated voice to prove yet." />
    {:else if leaf === 'since'}
      <SinceLeaf {checks} {shown} choose={(id) => (chosen = id)} />
    {:else if leaf === 'report'}
      <ReportLeaf />
    {:else}
      <BlindLeaf {overview} />
    {/if}
  {/snippet}
  {#snippet second(what)}
    {#if what === 'since' && shown}<DriftPicture checked={shown} />
    {:else if series}<TallyPicture {series} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if leaf === 'carry'}
      <CarrySlip {overview} />
    {:else if leaf === 'two'}
      <TwoSlip />
    {:else if leaf === 'since'}
      <Moved checked={shown} {newest} />
      <WatchLine noticing={overview.noticing} live={overview.run.live} />
    {:else}
      {#each overview.ended_series as series (series.id)}
        {@const key = series.stage}
        <Fact
          name={series.title}
          value="{series.first.toString().replace('.5', '½')} of {series.rounds}"
          mark={series.heard ? 'good' : 'none'}
        >
          {series.sentence}
          <span class="soft">{clock(series.at)}</span>
          {#if series.leave_off && key}
            <button type="button" class="link" onclick={() => leaveOff(key)}>{series.leave_off}</button>
          {/if}
          <button
            type="button"
            class="link"
            onclick={() => void desk.do('delete', '/api/series/{id}', { params: { path: { id: series.id } } })}
            >Remove</button
          >
        </Fact>
      {:else}
        <Unknown what="what you hear of it, blind" />
      {/each}
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={step?.status === 'open' && (overview.ended_series.length > 0 || checks.length > 0)}
      disabled={step?.status === 'stale' || step?.status === 'not yet'}
      onclick={() => void desk.confirm('prove')}>Confirm prove</Button
    >
  {/snippet}
</Bench>

<style>
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
