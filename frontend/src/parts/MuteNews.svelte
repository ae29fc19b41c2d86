<script lang="ts">
  import { counted, t } from '../lib/words';
  import { level } from '../lib/format';
  import type { Overview } from '../lib/api';
  import { desk } from '../lib/state.svelte';
  import Mark from './Mark.svelte';

  /** While the voice is kept out of feeds: what arrives at them all the same. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const SILENT_DBFS = -90;
  const silent = $derived(
    overview.destinations.filter(
      (each) => each.on && each.feed && (each.muted || (each.push && !overview.run.talking)),
    ),
  );
  const missed = $derived(silent.filter((each) => !each.mute_reaches));
  const names = (rows: typeof silent) => rows.map((each) => each.name).join(', ');
  const still = $derived(
    silent
      .filter((each) => each.mute_reaches)
      .map((each) => ({ name: each.name, db: desk.live?.to?.[each.key] ?? -Infinity })),
  );
</script>

{#if overview.run.live && silent.length}
  <p>
    {#if missed.length}
      <span
        ><Mark kind="fault" />
        {counted(
          missed.length,
          '{names} uses the microphone itself, so this mute does not reach it.',
          '{names} use the microphone itself, so this mute does not reach them.',
          { names: names(missed) },
        )}</span
      >
    {/if}
    {#each still as each (each.name)}
      <span>
        Your voice is kept out of {each.name}; {each.db > SILENT_DBFS
          ? t('what still arrives:')
          : t('nothing arrives.')}
        {#if each.db > SILENT_DBFS}<span class="num">{level(each.db, 0)} dBFS</span>{/if}
      </span>
    {/each}
  </p>
{/if}

<style>
  p {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 24px;
    padding: 6px 0;
    font-size: 13px;
  }
</style>
