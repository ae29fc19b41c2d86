<script lang="ts">
  import { t } from '../lib/words';
  import type { Take } from '../lib/api';
  import { moment } from '../lib/format';
  import { TAKE_WORDS as WORDS } from '../lib/steps';
  import Mark from './Mark.svelte';

  /** The newest takes of a step; one can be chosen to be read about. */
  interface Props {
    takes: Take[];
    shown: number | null;
  }
  let { takes, shown = $bindable() }: Props = $props();

  function kind(take: Take): 'good' | 'fault' | 'none' {
    return take.fault ? 'fault' : take.current ? 'good' : 'none';
  }
</script>

<span class="chips">
  {#each takes as take (take.id)}
    <button
      type="button"
      class="chip"
      aria-pressed={shown === take.id}
      title={take.fault ?? take.stale ?? take.notes.join(' ')}
      onclick={() => (shown = shown === take.id ? null : take.id)}
    >
      <Mark kind={kind(take)} />
      {WORDS[take.purpose]}, {moment(take.taken_at)}{take.half ? t(', cut off') : ''}{take.stale
        ? t(', outdated')
        : ''}{take.notes.length ? t(', note') : ''}
    </button>
  {/each}
</span>

<style>
  .chips {
    display: flex;
    flex: 0 1 auto;
    gap: 6px;
    min-width: 0;
    overflow-x: auto;
  }
  .chip {
    flex: none;
    display: inline-flex;
    gap: 6px;
    align-items: center;
    min-height: 30px;
    padding: 2px 9px;
    border: 1px solid var(--rule);
    border-radius: 2px;
    background: var(--sheet);
    font-size: 13px;
    white-space: nowrap;
    cursor: pointer;
  }
  .chip[aria-pressed='true'] {
    border-color: var(--ink);
  }
</style>
