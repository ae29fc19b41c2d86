<script lang="ts">
  import type { Overview } from '../lib/api';
  import { proper } from '../lib/format';
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';
  import { TAKE_NAMES } from '../lib/steps';
  import { taking } from '../lib/taking.svelte';
  import Button from '../parts/Button.svelte';
  import Field from '../parts/Field.svelte';
  import Key from '../parts/Key.svelte';
  import Mark from '../parts/Mark.svelte';
  import SourceChoice from '../steps/rig/SourceChoice.svelte';
  import { movesOf, turnAll } from '../steps/gain/moves';
  import { PASSAGE } from '../steps/tone/passage';
  import Calibrated from './Calibrated.svelte';
  import LastSeconds from './LastSeconds.svelte';
  import { due, left, told } from './stretches';

  /** From nothing to a finished calibration, one stretch of sound after the other. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const stretches = $derived(told(overview, place.runSince));
  const next = $derived(due(stretches));
  const running = $derived(desk.progress);
  /** What stands is shown as it is, until a run begins anew. */
  const finished = $derived(!running && (next === null || (place.runSince === null && overview.delivery !== null)));
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

  $effect(() => {
    place.due = next?.purpose ?? null;
    return () => (place.due = null);
  });
  // A run that came to its end leaves what stands.
  $effect(() => {
    if (next === null && place.runSince !== null) place.endRun();
  });

  async function follow(): Promise<void> {
    await turnAll(moves);
    answered = true;
  }

  function counted(): string {
    if (!running) return '';
    if (running.state === 'measuring') return 'measuring';
    return running.until_steady
      ? `${Math.floor(running.done_s)} s`
      : `${Math.ceil(Math.max(0, running.seconds - running.done_s))} s`;
  }
</script>

{#if finished}
  <Calibrated {overview} />
{:else if shown}
  <section class="run" aria-labelledby="run">
    <div class="top">
      <h2 id="run" tabindex="-1">Calibrate now</h2>
      <span class="soft"
        >part {at + 1} of {stretches.length}, about {Math.max(5, Math.round(secondsLeft / 5) * 5)} s of sound left</span
      >
      <button type="button" class="link" onclick={() => (place.guided = false)}>Leave, keep what is done</button>
    </div>
    <div class="middle">
      <div class="say">
        {#if turn && plan}
          <h3>{proper(plan.sentence)}</h3>
          <p>{proper(plan.because)} {proper(plan.limit ?? '')}</p>
          <p class="soft">The room and your talk are moved to the new gain by physics; nothing is taken again.</p>
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
        <span class="count num" role="timer" class:busy={running?.state === 'measuring'}>{counted()}</span>
      </div>
      <div class="picture">
        <LastSeconds progress={running} aim={[overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]} />
      </div>
    </div>
    <ol aria-label="Parts">
      {#each stretches as each (each.purpose)}
        {@const now = each.purpose === running?.purpose}
        <li aria-current={each === shown ? 'step' : undefined}>
          <span class="bar"
            ><span
              style:width="{each.done && !now
                ? 100
                : now && running
                  ? Math.min(100, (100 * running.done_s) / running.seconds)
                  : 0}%"
            ></span></span
          >
          <strong>{each.title}</strong>
          <span class="soft"
            >{each.done && !now
              ? 'done'
              : now
                ? 'now'
                : each.purpose === 'talk'
                  ? 'until steady'
                  : `${overview.seconds[each.purpose]} s`}</span
          >
          {#if each.take && !now}
            {#each each.take.notes as note (note)}<span class="note">{proper(note)}</span>{/each}
          {/if}
        </li>
      {/each}
    </ol>
    <div class="action">
      {#if running}
        <Button primary onclick={() => void taking.stopTake()}>Stop, that is enough</Button><Key>T</Key>
      {:else if turn && plan}
        <Button primary onclick={() => void follow()}>{simulated ? 'Turn it so' : 'I turned it so'}</Button>
        <Button onclick={() => (answered = true)}>Leave it as it is</Button>
      {:else}
        <Button
          primary
          disabled={desk.busy || overview.rig.source === 'file'}
          onclick={() => void taking.take(shown.purpose)}
          >{shown.purpose === 'passage' ? 'Read' : 'Record'} {TAKE_NAMES[shown.purpose]}</Button
        ><Key>T</Key>
        {#if overview.rig.source === 'file'}
          <span class="soft">Files are brought in step by step. Choose a microphone for the guided run.</span>
        {/if}
      {/if}
    </div>
  </section>
{/if}

<style>
  .run {
    display: flex;
    flex-direction: column;
    height: 100%;
    padding: 12px 20px;
    overflow: auto;
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    align-items: baseline;
  }
  .top .link {
    min-height: 24px;
    margin-left: auto;
    font-weight: 400;
  }
  h2 {
    font-size: 21px;
  }
  h2:focus {
    outline: none;
  }
  h3 {
    font-size: 21px;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .middle {
    display: grid;
    flex: 1;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 20px;
    min-height: 220px;
    padding: 12px 0;
  }
  .say {
    display: flex;
    flex-direction: column;
    gap: 8px;
    overflow: auto;
  }
  .passage {
    max-width: 62ch;
    font-size: 17px;
    line-height: 1.55;
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
  .count {
    min-height: 52px;
    font-size: 40px;
    font-weight: 700;
  }
  .count.busy {
    font-size: 20px;
  }
  ol {
    display: grid;
    grid-template-columns: repeat(4, minmax(0, 1fr));
    gap: 8px;
    padding: 0;
    margin: 0 0 10px;
    list-style: none;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 0 8px;
    align-items: baseline;
    align-content: flex-start;
    font-size: 13px;
  }
  .bar {
    flex-basis: 100%;
    height: 14px;
    margin-bottom: 3px;
    border: 1px solid var(--ink);
  }
  .bar span {
    display: block;
    height: 100%;
    background: var(--ink);
  }
  .note {
    flex-basis: 100%;
    color: var(--peak);
    font-size: 12px;
    line-height: 1.3;
  }
  .action {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  @media (max-width: 900px), (max-height: 600px) {
    .run {
      height: auto;
      padding: 10px 12px;
    }
    .middle {
      grid-template-columns: minmax(0, 1fr);
    }
    .picture {
      height: 200px;
    }
    .action {
      position: sticky;
      bottom: 0;
      padding: 8px 0;
      background: var(--sheet);
    }
  }
  @media (max-width: 640px) {
    ol {
      grid-template-columns: repeat(2, minmax(0, 1fr));
    }
  }
</style>
