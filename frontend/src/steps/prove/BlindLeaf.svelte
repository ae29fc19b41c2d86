<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { onMount } from 'svelte';
  import type { Overview } from '../../lib/api';
  import { level } from '../../lib/format';
  import { SERIES } from '../../lib/examples';
  import { here } from '../../lib/keys';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Example from '../../parts/Example.svelte';
  import Hint from '../../parts/Hint.svelte';
  import Key from '../../parts/Key.svelte';
  import { blind, type Answer } from './blind.svelte';
  import { chosenPair } from './chosen-pair.svelte';
  import PairSides from './PairSides.svelte';
  import TallyPicture from './TallyPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let kind = $state<'prefer' | 'which'>('prefer');
  let rounds = $state(12);
  const series = $derived(overview.series);
  const last = $derived(overview.ended_series[0] ?? null);
  /** A pair that another leaf chose stands beside the usual ones. */
  const other = $derived(
    chosenPair.title !== null && !overview.pairs.some((pair) => pair.second === chosenPair.second)
      ? { second: chosenPair.second, title: chosenPair.title, first: t('today’s') }
      : null,
  );
  const pairs = $derived(other ? [...overview.pairs, other] : overview.pairs);
  const chosen = $derived(pairs.some((pair) => pair.second === chosenPair.second) ? chosenPair.second : 'raw');
  const named = $derived(pairs.find((pair) => pair.second === chosen)?.first ?? t('the treated voice'));
  const ANSWERS = $derived<[Answer, string, string][]>([
    ['one', series?.kind === 'which' ? t('It is “one”') : t('Rather “one”'), 'A'],
    ['same', t('No difference'), 'S'],
    ['other', series?.kind === 'which' ? t('It is “other”') : t('Rather “other”'), 'D'],
  ]);

  function begin(): void {
    blind.heard = 'one';
    void desk.do('post', '/api/series', { body: { second: chosen, kind, rounds } }).then((began) => {
      if (began) void blind.play();
    });
  }

  function answer(said: Answer): void {
    if (series) void blind.answer(series, said);
  }

  onMount(() => () => {
    blind.stop();
    here.keys = {};
  });
  $effect(() => {
    here.keys = series
      ? {
          arrowleft: () => blind.hear('one'),
          arrowright: () => blind.hear('other'),
          a: () => answer('one'),
          s: () => answer('same'),
          d: () => answer('other'),
          ' ': () => blind.toggle(),
        }
      : {};
  });
</script>

{#if series}
  <PairSides hearing={blind} />
  <p class="question" role="status">
    Round {series.round + 1} of {series.rounds}. {series.question}
  </p>
  <div class="row">
    {#each ANSWERS as [said, title, key] (said)}
      <Button disabled={desk.busy} onclick={() => answer(said)}>{title} <Key>{key}</Key></Button>
    {/each}
  </div>
  <div class="row">
    <Button quiet onclick={() => blind.toggle()}>{blind.playing ? t('Stop') : t('Play both')}</Button><Key>Space</Key>
    <Button
      quiet
      onclick={() => {
        blind.stop();
        void desk.do('post', '/api/series/end');
      }}>End the series</Button
    >
    <Hint
      >{series.title}, {#if series.loudness_lufs !== null && series.apart_lu !== null}both at {level(
          series.loudness_lufs,
        )} LUFS, {marked(series.apart_lu.toFixed(2))} LU apart.{:else}equally loud.{/if} The end shows which is which.</Hint
    >
  </div>
{:else}
  <div class="row">
    <label
      >Compare
      <select value={chosen} onchange={(event) => (chosenPair.second = event.currentTarget.value)}>
        {#each pairs as pair (pair.second)}<option value={pair.second}>{pair.title}</option>{/each}
      </select>
    </label>
    <label
      >Ask
      <select bind:value={kind}>
        <option value="prefer">which I would rather hear</option>
        <option value="which">which is {named}</option>
      </select>
    </label>
    <label
      >Rounds
      <select bind:value={rounds}>
        {#each [8, 12, 16, 20, 24] as count (count)}<option value={count}>{count}</option>{/each}
      </select>
    </label>
    <Button primary={!last} disabled={desk.busy || !overview.pairs.length} onclick={begin}>Begin a series</Button>
  </div>
  {#if last}<TallyPicture series={last} />{:else}
    <p class="soft">
      You hear eight seconds of your passage as “one” and as “other”, equally loud, and switch as often as you like.
      After the last round the result says whether you heard a difference, or whether chance would do as well.
    </p>
    <Example how={t('Begin a series to see your own.')}><TallyPicture series={SERIES} /></Example>
  {/if}
{/if}

<style>
  .question {
    margin: 16px 0 8px;
    font-size: 16px;
    font-weight: 600;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    margin-bottom: 12px;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select {
    min-height: 32px;
  }
  .soft {
    color: var(--quiet-ink);
  }
</style>
