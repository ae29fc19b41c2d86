<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { onMount } from 'svelte';
  import { findSound, type FindSound, type Overview } from '../../lib/api';
  import { signed } from '../../lib/format';
  import { here } from '../../lib/keys';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Key from '../../parts/Key.svelte';
  import { TASTE_NAMES } from './taste';
  import { PairHearing, type Answer } from '../prove/blind.svelte';
  import PairSides from '../prove/PairSides.svelte';

  /** A taste found by ear: pairs of one's own passage, one after another, until no further pair is worth asking. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const hearing = new PairHearing('find-sound/sound');
  let search = $state.raw<FindSound | null>(null);
  let waits = $state(false);
  const NAMES: Record<string, string> = Object.fromEntries(TASTE_NAMES);
  const ANSWERS: [Answer, string, string][] = [
    ['one', t('I prefer “one”'), 'A'],
    ['same', t('No difference'), 'S'],
    ['other', t('I prefer “other”'), 'D'],
  ];
  const number = $derived(search?.running ? search.number : null);
  const found = $derived(overview.preferences.found ?? null);

  async function ask(what: () => Promise<FindSound>): Promise<void> {
    if (waits) return;
    waits = true;
    try {
      search = await what();
    } catch (error) {
      desk.complain(error);
    } finally {
      waits = false;
    }
  }

  async function begin(): Promise<void> {
    await ask(() => findSound('begin'));
    if (number !== null) void hearing.play();
  }

  async function answer(said: Answer): Promise<void> {
    const at = number;
    if (at === null || waits) return;
    hearing.anew();
    await ask(() => findSound('', { number: at, answer: said }));
    if (number !== null) void hearing.play();
  }

  function leave(): void {
    hearing.stop();
    void ask(() => findSound('end'));
  }

  async function take(): Promise<void> {
    if (await desk.do('post', '/api/find-sound/use')) await ask(() => findSound());
  }

  onMount(() => {
    void ask(() => findSound());
    return () => {
      hearing.stop();
      here.keys = {};
    };
  });
  $effect(() => {
    here.keys =
      number === null
        ? {}
        : {
            arrowleft: () => hearing.hear('one'),
            arrowright: () => hearing.hear('other'),
            a: () => void answer('one'),
            s: () => void answer('same'),
            d: () => void answer('other'),
            ' ': () => hearing.toggle(),
          };
  });
</script>

{#if number !== null && search}
  <PairSides {hearing} />
  <p class="question" role="status">Pair {number} of at most {search.most}. Which do you prefer?</p>
  <div class="row">
    {#each ANSWERS as [said, title, key] (said)}
      <Button disabled={waits} onclick={() => void answer(said)}>{title} <Key>{key}</Key></Button>
    {/each}
  </div>
  <div class="row">
    <Button quiet onclick={() => hearing.toggle()}>{hearing.playing ? t('Stop') : t('Play both')}</Button><Key
      >Space</Key
    >
    <Button quiet onclick={leave}>Leave and change nothing</Button>
    <span class="soft">Equally loud, at the same place of your passage. The end shows the numbers.</span>
  </div>
{:else if search?.said}
  <h3>{search.convinces ? t('This is your sound') : t('Nothing is changed')}</h3>
  <p class="question" role="status">{search.said}</p>
  {#if search.convinces}
    <dl>
      {#each search.wishes ?? [] as wish (wish.name)}
        <div>
          <dt>{NAMES[wish.name] ?? wish.name}</dt>
          <dd>
            <strong class="num">{signed(wish.value_db)} dB</strong>
            <span class="soft num">±{marked(wish.error_db.toFixed(1))}</span>
          </dd>
        </div>
      {/each}
    </dl>
  {/if}
  <div class="row">
    {#if search.convinces}<Button primary disabled={desk.busy} onclick={() => void take()}>Take it over</Button>{/if}
    <Button primary={!search.convinces} onclick={() => void begin()}>Begin again</Button>
    <Button quiet onclick={leave}>Leave and change nothing</Button>
  </div>
{:else}
  <div class="row">
    <Button primary disabled={waits || !overview.delivery} onclick={() => void begin()}>Begin</Button>
    <span class="soft"
      >{found
        ? t('Found before: you preferred it in {agrees} of {preferred} pairs.', {
            agrees: found.agrees,
            preferred: found.preferred,
          })
        : ''}</span
    >
  </div>
  <p class="soft words">
    You hear a few seconds of your passage as “one” and as “other”, treated for two tastes, equally loud. Say which you
    prefer, or that there is no difference; after at most 14 pairs your warmth, body, clarity, air and density are
    known, each with its uncertainty. The last pairs check whether the answer holds; if it does not, nothing is changed.
  </p>
{/if}

<style>
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .words {
    max-width: 70ch;
    line-height: 1.45;
  }
  .question {
    padding-top: 8px;
    font-size: 17px;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
    padding: 6px 0;
  }
  dl {
    display: flex;
    flex-wrap: wrap;
    gap: 10px 28px;
    margin: 10px 0;
  }
  dt {
    font-size: 13px;
  }
  dd {
    margin: 0;
    font-size: 17px;
  }
</style>
