<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Numbers } from '../lib/numbers';
  import SavePicture from './SavePicture.svelte';

  /** A picture as large as its place, never lower than it can be read; what it shows is said in its label. */
  interface Props {
    label: string;
    least?: number;
    /** Whether something in it can be moved: then it is a group of controls, not one picture. */
    handles?: boolean;
    numbers?: Numbers;
    children: Snippet<[number, number]>;
  }
  let { label, least = 220, handles = false, numbers, children }: Props = $props();
  let width = $state(800);
  let height = $state(320);
  let svg = $state<SVGSVGElement | null>(null);
</script>

<div class="whole" style:min-height="{least + 24}px">
  <div class="picture" bind:clientWidth={width} bind:clientHeight={height}>
    <svg bind:this={svg} {width} {height} role={handles ? 'group' : 'img'} aria-label={label}
      >{@render children(width, height)}</svg
    >
  </div>
  <SavePicture {svg} {label} {numbers} />
</div>

<style>
  .whole {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .picture {
    position: relative;
    flex: 1;
    min-height: 0;
    overflow: hidden;
  }
  /* Outside the flow: a window that grows smaller is not held open by its picture. */
  svg {
    position: absolute;
    display: block;
  }
</style>
