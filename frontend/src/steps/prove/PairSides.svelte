<script lang="ts">
  import { t } from '../../lib/words';
  import Key from '../../parts/Key.svelte';
  import type { PairHearing } from './blind.svelte';

  /** Two sounds side by side, which of them is heard, and how far it is. */
  interface Props {
    hearing: PairHearing;
  }
  let { hearing }: Props = $props();
</script>

<div class="both">
  {#each ['one', 'other'] as const as which (which)}
    <button
      type="button"
      class="side"
      aria-pressed={hearing.playing && hearing.heard === which}
      onclick={() => hearing.hear(which)}
    >
      <span class="name">{which === 'one' ? t('one') : t('other')}</span>
      <span class="line" aria-hidden="true"
        ><span style:width="{hearing.heard === which ? hearing.share * 100 : 0}%"></span></span
      >
      <span class="soft">{hearing.playing && hearing.heard === which ? t('you hear this one') : t('hear it')}</span>
      <Key>{which === 'one' ? '←' : '→'}</Key>
    </button>
  {/each}
</div>

<style>
  .both {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 14px;
  }
  .side {
    display: grid;
    grid-template-columns: auto 1fr auto;
    gap: 6px 10px;
    align-items: center;
    padding: 16px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: transparent;
    text-align: left;
    cursor: pointer;
  }
  .side[aria-pressed='true'] {
    border-color: var(--ink);
    box-shadow: inset 0 0 0 1px var(--ink);
  }
  .name {
    font-size: 19px;
    font-weight: 700;
  }
  .line {
    grid-column: 1 / -1;
    grid-row: 2;
    height: 8px;
    background: var(--rule);
  }
  .line span {
    display: block;
    height: 100%;
    background: var(--ink);
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
