<script lang="ts">
  import type { Snippet } from 'svelte';
  import Mark from './Mark.svelte';

  /** One line of a slip: a name, a number with its unit, and the sentence under it. */
  interface Props {
    name: string;
    value: string;
    mark?: 'good' | 'fault' | 'none';
    children?: Snippet;
  }
  let { name, value, mark, children }: Props = $props();
</script>

<div class="fact">
  <div class="head">
    {#if mark}<Mark kind={mark} />{/if}
    <h3>{name}</h3>
    <span class="num">{value}</span>
  </div>
  {#if children}<p>{@render children()}</p>{/if}
</div>

<style>
  .fact {
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .head :global(svg) {
    align-self: center;
  }
  h3 {
    flex: 1;
    font: 600 14px/1.3 var(--text);
  }
  .num {
    font-size: 13px;
    font-weight: 700;
  }
  p {
    margin-top: 2px;
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.4;
  }
</style>
