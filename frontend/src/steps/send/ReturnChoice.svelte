<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';

  /** Which program of this computer is heard from a call or a game: it plays to an output of ours from then on. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const live = $derived(overview.run.live);
  const listeners = $derived(
    overview.destinations.filter((entry) => entry.on && (entry.kind === 'call' || entry.kind === 'game chat')),
  );

  function choose(key: string, index: string): void {
    void desk.do('put', '/api/destinations/{key}/return', {
      params: { path: { key } },
      body: { index: index ? Number(index) : null },
    });
  }
</script>

{#each listeners as listener (listener.key)}
  <label>
    From {listener.name}
    <select value="" disabled={live} onchange={(e) => choose(listener.key, e.currentTarget.value)}>
      <option value="">{listener.plays || t('nothing comes back')}</option>
      {#each overview.players as player (player.index)}<option value={player.index}>{player.program}</option>{/each}
    </select>
    {#if listener.plays}<button type="button" class="link" disabled={live} onclick={() => choose(listener.key, '')}
        >Let it play where it did</button
      >{/if}
  </label>
{:else}<p>There is no return: no call or game is in use.</p>{/each}
<p>
  {live
    ? t('Stop live to choose the return.')
    : t(
        'Choose a program that plays now: while you are live it plays through Obsidian Wren, treated, and never into its own feed.',
      )}
</p>

<style>
  label {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
    padding: 3px 0;
    font-size: 13px;
  }
  select {
    min-width: 0;
    min-height: 28px;
  }
  p {
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
