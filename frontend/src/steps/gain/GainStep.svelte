<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { level, proper, signed, withUnit } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import CauseList from '../../parts/CauseList.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import DialLeaf from './DialLeaf.svelte';
  import LiveLeaf from './LiveLeaf.svelte';
  import PathLeaf from './PathLeaf.svelte';
  import PeakPicture from './PeakPicture.svelte';
  import { movesOf, turnAll } from './moves';

  let { overview }: { overview: Overview } = $props();
  const talk = $derived(overview.talk);
  let asking = $state(false);
  const plan = $derived(overview.gain_plan);
  const leaf = $derived(place.leafName);
  const step = $derived(overview.steps.find((s) => s.name === 'gain'));
  const simulated = $derived(overview.rig.source === 'simulated');
  const stale = $derived(step?.status === 'stale');
  const predicted = $derived(overview.predictions.talk);
  const shift = $derived((overview.predictions.rest?.room_db ?? 0) - (overview.predictions.talk?.room_db ?? 0));
  const causes = $derived(overview.voice_causes);
  const LEADS: Record<string, string> = {
    levels: t(
      'Talk as you do in a call. The highest peak should land in the target range; laughter then still has 10 dB.',
    ),
    path: t('Gain before the converter first; everything after it stays at unity.'),
    dial: t('Numbers on a dial are not decibels until they are measured.'),
    live: t('The last ten seconds, and the highest peak in them.'),
  };
  const moves = $derived(movesOf(plan));
</script>

{#snippet peaks()}
  {#if talk}
    <PeakPicture
      {talk}
      loud={overview.loud}
      soft={overview.soft}
      quiet={overview.quiet}
      shiftDb={shift}
      aim={[overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]}
    />
  {/if}
{/snippet}

<Bench title="Gain" lead={LEADS[leaf] ?? ''} beside={!talk ? null : leaf === 'levels' ? 'path' : 'levels'}>
  {#snippet evidence()}
    {#if leaf === 'path'}<PathLeaf {overview} />
    {:else if leaf === 'dial'}<DialLeaf {overview} />
    {:else if leaf === 'live'}<LiveLeaf {overview} />
    {:else if talk}{@render peaks()}
    {:else}<Waiting
        text="Talk at your normal level, from your normal place. The take ends by itself when your level is known. Read something aloud if nothing comes to mind."
      />{/if}
  {/snippet}
  {#snippet second(shown)}
    {#if shown === 'path'}<PathLeaf {overview} />{:else}{@render peaks()}{/if}
  {/snippet}
  {#snippet slip()}
    {#if talk && plan}
      {#if stale}
        <Fact
          name="Outdated"
          value={predicted ? t('{change} dB predicted', { change: signed(predicted.voice_db) }) : ''}
          mark="fault"
          >{proper(step?.why ?? '')}
          {predicted ? t('Until you record again: {because}.', { because: proper(predicted.because) }) : ''} Record normal
          talk again to see where the peaks are now.</Fact
        >
      {/if}
      <Fact
        name={proper(plan.sentence)}
        value={plan.predicted
          ? t('predicted')
          : plan.certain
            ? plan.sure_db === null
              ? ''
              : `±${marked(plan.sure_db.toFixed(1))} dB`
            : t('a guess')}
        mark={plan.verdict === 'stay' ? 'good' : 'fault'}
      >
        {proper(plan.because)}
        {#if plan.limit}<strong>{proper(plan.limit)}</strong>{/if}
        {proper(plan.predicted ?? '')}
      </Fact>
      {#if moves.length && !plan.predicted}
        <div class="do">
          <Button primary={!stale} onclick={() => void turnAll(moves)}
            >{simulated ? t('Turn it') : t('I turned it')}</Button
          >
          <button type="button" class="link" onclick={() => (place.leaf.gain = 'path')}>stage by stage</button>
        </div>
      {/if}
      <CauseList {causes} none="Nothing is clipped, saturated or masked." />
      <Fact name="Highest peak" value={withUnit(talk.peak_dbfs, 'dBFS')}>
        Between samples <span class="num">{withUnit(talk.true_peak_dbtp, 'dBTP')}</span>; headroom
        <span class="num">{talk.peak_dbfs === null ? t('unknown') : `${level(-talk.peak_dbfs)} dB`}</span>.
      </Fact>
      <Fact name="Active speech level" value={withUnit(talk.active_level_dbfs, 'dBFS')}>
        ITU-T P.56, without pauses; you talked {Math.round(talk.activity * 100)} % of {marked(
          talk.duration_s.toFixed(0),
        )} s.
      </Fact>
      <Fact name="Signal-to-noise ratio" value={withUnit(talk.snr_db, 'dB', 0)}>
        {talk.snr_db === null ? t('Record the room in Quiet to know it.') : ''}
        {proper(plan.quiet_predicted ?? '')}
      </Fact>
      {#if overview.loud}
        <Fact name="Loudest peak" value={withUnit(overview.loud.peak_dbfs, 'dBFS')} />
      {/if}
      {#if overview.soft}
        <Fact name="Softest, active level" value={withUnit(overview.soft.active_level_dbfs, 'dBFS')} />
      {/if}
      <Fact name="Loudness" value={withUnit(talk.loudness_lufs, 'LUFS')} />
    {:else}
      <Unknown what="your level" />
    {/if}
  {/snippet}
  {#snippet action()}
    {#if asking && step?.asks}
      <p class="asks" role="alert">{step.asks} Confirm gain all the same?</p>
      <Button onclick={() => void desk.confirm('gain', true)}>Confirm all the same</Button>
      <Button primary onclick={() => (asking = false)}>No</Button>
    {:else}
      <Button
        primary={!!talk && step?.status === 'open' && plan?.verdict === 'stay'}
        disabled={!talk || stale}
        onclick={() => (step?.asks ? (asking = true) : void desk.confirm('gain'))}
      >
        {plan && plan.verdict !== 'stay' && talk && !stale ? t('Confirm gain anyway') : t('Confirm gain')}
      </Button>
      <span>then Clean</span>
    {/if}
  {/snippet}
</Bench>

<style>
  .asks {
    flex-basis: 100%;
    margin: 0;
    font-size: 13px;
  }
  .do {
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
  }
  .link {
    font-size: 13px;
    font-weight: 600;
  }
  strong {
    color: var(--ink);
    font-weight: 600;
  }
</style>
