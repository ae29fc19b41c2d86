<script lang="ts">
  import type { Snippet } from 'svelte';

  import { chosenKeys, type Doing } from '../lib/chosen-keys.svelte';

  /** A key to press: one that a person may have chosen, by what it does, or a fixed one. */
  interface Props {
    does?: Doing;
    children?: Snippet;
  }

  const { does, children }: Props = $props();
</script>

<kbd
  >{#if does}{chosenKeys.of(does).toUpperCase()}{:else}{@render children?.()}{/if}</kbd
>

<style>
  kbd {
    min-width: 20px;
    padding: 0 4px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    font: 500 11px/18px var(--mono);
    text-align: center;
  }
</style>
