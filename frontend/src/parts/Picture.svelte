<script lang="ts">
  import type { Snippet } from 'svelte';

  /** A picture as large as its place, never lower than it can be read; what it shows is said in its label. */
  interface Props {
    label: string;
    least?: number;
    children: Snippet<[number, number]>;
  }
  let { label, least = 220, children }: Props = $props();
  let width = $state(800);
  let height = $state(320);
  const tall = $derived(Math.max(height, least));
</script>

<div bind:clientWidth={width} bind:clientHeight={height}>
  <svg {width} height={tall} role="img" aria-label={label}>{@render children(width, tall)}</svg>
</div>

<style>
  div {
    height: 100%;
    overflow: hidden;
  }
  svg {
    display: block;
  }
</style>
