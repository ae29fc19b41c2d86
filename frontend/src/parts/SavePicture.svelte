<script lang="ts">
  import type { Numbers } from '../lib/numbers';
  import { savePng, saveSvg, saveText } from '../lib/save-picture';

  import NumbersTable from './NumbersTable.svelte';

  /** What can be had of a picture: its numbers, and files. Shown when it is pointed at or reached by Tab. */
  interface Props {
    svg: SVGSVGElement | null;
    label: string;
    numbers?: Numbers;
    /** At the top, where numbers stand at the bottom. */
    top?: boolean;
  }
  let { svg, label, numbers, top = false }: Props = $props();
  let opened = $state(false);
</script>

<span class="save" class:top>
  {#if numbers?.rows.length}
    <button type="button" title="The numbers that it is drawn from" onclick={() => (opened = true)}>Numbers</button>
  {/if}
  <button type="button" title="Save this picture as PNG" onclick={() => svg && void savePng(svg, label)}
    >Save picture</button
  >
  <button type="button" title="Save this picture as SVG" onclick={() => svg && saveSvg(svg, label)}>as SVG</button>
  <button type="button" title="Save what it shows in words" onclick={() => saveText(label)}>as text</button>
</span>
{#if opened && numbers}<NumbersTable {numbers} {label} close={() => (opened = false)} />{/if}

<style>
  .save {
    position: absolute;
    right: 0;
    bottom: 0;
    display: flex;
    gap: 4px;
    opacity: 0;
  }
  .save.top {
    top: 0;
    bottom: auto;
  }
  :global(:hover) > .save,
  .save:focus-within {
    opacity: 1;
  }
  button {
    padding: 1px 7px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: var(--paper);
    font-size: 12px;
    cursor: pointer;
  }
</style>
