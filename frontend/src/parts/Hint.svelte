<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    /** Read out when it changes. */
    spoken?: boolean;
    children: Snippet;
  }

  const { spoken = false, children }: Props = $props();
</script>

<span class="hint" role={spoken ? 'status' : undefined}>{@render children()}</span>

<style>
  .hint {
    flex: 3 1 150px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
