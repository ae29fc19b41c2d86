<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    children: Snippet;
  }

  const { children }: Props = $props();
</script>

<kbd>{@render children()}</kbd>

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
