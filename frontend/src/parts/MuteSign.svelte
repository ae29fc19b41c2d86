<script lang="ts">
  import { t } from '../lib/words';
  import { chosenKeys } from '../lib/chosen-keys.svelte';
  import type { Overview } from '../lib/api';
  import { pushToTalk } from '../lib/push-to-talk';
  import { desk } from '../lib/state.svelte';
  import Key from './Key.svelte';
  import Mark from './Mark.svelte';

  /** Whether the voice goes to the feeds: shown in every step. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const run = $derived(overview.run);
</script>

{#if overview.destinations.some((each) => each.on && each.feed)}
  <span class="mute">
    <button
      type="button"
      aria-pressed={{ all: true, some: 'mixed', none: false }[run.feeds_muted] as boolean | 'mixed'}
      title="Keep your voice out of every feed, or let it in again ({chosenKeys.of('mute').toUpperCase()})"
      onclick={() => void desk.do('post', '/api/run/mute/toggle')}
    >
      Mute
    </button>
    {#if run.feeds_muted !== 'none'}
      <Mark kind="fault" /><span>{run.feeds_muted === 'all' ? 'muted' : t('some muted')}</span>
    {/if}
    {#if run.push_to_talk}
      <button
        type="button"
        aria-pressed={run.talking}
        title="Your voice goes out while this is held ({chosenKeys.of('talk').toUpperCase()})"
        onpointerdown={() => pushToTalk.begin()}
        onpointerup={() => pushToTalk.end()}
        onpointerleave={() => pushToTalk.end()}
        >{run.talking ? t('Talking') : t('Hold to talk')} <Key does="talk" /></button
      >
    {/if}
  </span>
{/if}

<style>
  .mute {
    display: inline-flex;
    gap: 8px;
    align-items: center;
    white-space: nowrap;
  }
  button {
    display: inline-flex;
    gap: 5px;
    align-items: center;
    min-height: 26px;
    padding: 1px 9px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: transparent;
    cursor: pointer;
  }
  button:is([aria-pressed='true'], [aria-pressed='mixed']) {
    border-color: var(--ink);
    font-weight: 700;
    box-shadow: inset 0 0 0 1px var(--ink);
  }
</style>
