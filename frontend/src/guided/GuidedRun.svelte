<script lang="ts">
  import { untrack } from 'svelte';
  import { t } from '../lib/words';
  import type { Overview } from '../lib/api';
  import { proper } from '../lib/format';
  import { onAir } from '../lib/on-air.svelte';
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';
  import { TAKE_NAMES } from '../lib/steps';
  import { taking } from '../lib/taking.svelte';
  import Button from '../parts/Button.svelte';
  import Field from '../parts/Field.svelte';
  import Key from '../parts/Key.svelte';
  import Mark from '../parts/Mark.svelte';
  import SourceChoice from '../steps/rig/SourceChoice.svelte';
  import LiveLeaf from '../steps/gain/LiveLeaf.svelte';
  import { movesOf, turnAll } from '../steps/gain/moves';
  import { PASSAGE } from '../steps/tone/passage';
  import Calibrated from './Calibrated.svelte';
  import GuidedCheck from './GuidedCheck.svelte';
  import LastSeconds from './LastSeconds.svelte';
  import RunFrame from './RunFrame.svelte';
  import { counted, due, howFar, howKnown, left, told } from './stretches';

  /** From nothing to a finished calibration, one stretch of sound after the other. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const stretches = $derived(told(overview, place.runSince));
  const next = $derived(due(stretches));
  const running = $derived(desk.progress);
  /** What stands is shown as it is, until a run begins anew; the room in use is taken beside it. */
  const finished = $derived(
    (!running || running.purpose === 'in-use') &&
      (next === null || (place.runSince === null && overview.delivery !== null)),
  );
  const shown = $derived(stretches.find((each) => each.purpose === running?.purpose) ?? next);
  const at = $derived(shown ? stretches.indexOf(shown) : stretches.length);
  const secondsLeft = $derived(left(stretches, overview, running?.done_s ?? 0));
  const plan = $derived(overview.gain_plan);
  /** Advice that was answered once is not asked again in this run. */
  let answered = $state(false);
  const moves = $derived(movesOf(plan));
  const turn = $derived(!running && !answered && shown?.purpose === 'loud' && moves.length > 0 && !plan?.predicted);
  const simulated = $derived(overview.rig.source === 'simulated');
  const first = $derived(shown?.purpose === 'rest' && !running);

  const parts = $derived(
    stretches.map((each) => {
      const now = each.purpose === running?.purpose;
      const usual = each.purpose === 'talk' ? t('until steady') : `${overview.seconds[each.purpose]} s`;
      return {
        title: each.title,
        now: each === shown,
        share: each.done && !now ? 1 : now && running ? howFar(running) : 0,
        says: each.done && !now ? t('done') : now ? t('now') : usual,
        notes: now ? [] : (each.take?.notes ?? []).map((note) => proper(note)),
      };
    }),
  );

  $effect(() => {
    place.due = next?.purpose ?? null;
    return () => (place.due = null);
  });
  // A run that came to its end leaves what stands.
  $effect(() => {
    if (next === null && place.runSince !== null) place.endRun();
  });

  // Begun by its key, a check is shown as one begun by its button.
  $effect(() => {
    if (running?.purpose === 'check') place.checking = true;
  });

  // The knob is turned by what the level shows.
  $effect(() => {
    // Begun once: the state that it looks at comes anew all the time.
    if (turn) untrack(() => overview.run.live || void onAir.watch('talk'));
  });

  async function follow(): Promise<void> {
    await turnAll(moves);
    answered = true;
  }
</script>

{#if place.checking}
  <GuidedCheck {overview} />
{:else if finished}
  <Calibrated {overview} />
{:else if shown}
  <RunFrame
    title="Calibrate now"
    about="part {at + 1} of {stretches.length}, about {Math.max(
      5,
      Math.round(secondsLeft / 5) * 5,
    )} s of recording left"
    leave="Leave and keep what is done"
    onleave={() => (place.guided = false)}
    {parts}
  >
    {#snippet say()}
      {#if turn && plan}
        <h3>{proper(plan.sentence)}</h3>
        <p>{proper(plan.because)} {proper(plan.limit ?? '')}</p>
        <p class="soft">The room and your talk are moved to the new gain by calculation; nothing is recorded again.</p>
      {:else}
        <h3>{shown.ask}</h3>
        {#if shown.purpose === 'passage'}<p class="passage">{PASSAGE}</p>{/if}
        {#if shown.take?.fault && !running && desk.trouble === null}
          <p class="fault" role="alert"><Mark kind="fault" /> <span>{proper(shown.take.fault)}</span></p>
        {/if}
        <p class="soft">{shown.hint}</p>
        {#if first}
          <SourceChoice {overview} />
          <div class="distance">
            <Field
              label="Mouth to microphone, cm"
              kind="number"
              value={overview.rig.distance_cm}
              keep={(value) => void desk.changeRig({ distance_cm: value })}
            />
          </div>
        {/if}
      {/if}
      <span class="count num" role="timer" class:busy={running?.state === 'measuring'}>{counted(running)}</span>
    {/snippet}
    {#snippet picture()}
      {#if turn}<LiveLeaf {overview} />
      {:else}
        <LastSeconds progress={running} aim={[overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]} />
        {#if running?.until_steady}<p class="soft known" role="status">{howKnown(running)}</p>{/if}
      {/if}
    {/snippet}
    {#snippet action()}
      {#if running}
        <Button primary onclick={() => void taking.stopTake()}>Stop, that is enough</Button><Key does="take" />
      {:else if turn && plan}
        <Button primary onclick={() => void follow()}>{simulated ? t('Turn it') : t('I turned it')}</Button>
        <Button onclick={() => (answered = true)}>Leave it as it is</Button>
      {:else}
        <Button
          primary
          disabled={desk.busy || overview.rig.source === 'file'}
          onclick={() => void taking.take(shown.purpose)}
          >{shown.purpose === 'passage' ? t('Read') : t('Record')} {TAKE_NAMES[shown.purpose]}</Button
        ><Key does="take" />
        {#if overview.rig.source === 'file'}
          <span class="soft">Files are imported step by step. Choose a microphone for the guided run.</span>
        {/if}
      {/if}
    {/snippet}
  </RunFrame>
{/if}

<style>
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .distance {
    max-width: 200px;
  }
  .fault {
    display: flex;
    gap: 8px;
    align-items: baseline;
    font-weight: 600;
  }
</style>
