<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A table that is wider than a small window scrolls by itself; the page does not. */
  interface Props {
    label: string;
    children: Snippet;
  }
  let { label, children }: Props = $props();
  let width = $state(0);
  let needed = $state(0);
  const scrolls = $derived(needed > width + 1);
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  bind:clientWidth={width}
  role={scrolls ? 'region' : undefined}
  aria-label={scrolls ? label : undefined}
  tabindex={scrolls ? 0 : undefined}
>
  <span bind:clientWidth={needed}>{@render children()}</span>
</div>

<style>
  div {
    position: relative;
    overflow-x: auto;
  }
  span {
    display: inline-block;
    min-width: 100%;
    vertical-align: top;
  }
</style>
