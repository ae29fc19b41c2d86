<script lang="ts">
  import type { Numbers } from '../lib/numbers';
  import { savePng, saveSvg, saveText } from '../lib/save-picture';

  import NumbersTable from './NumbersTable.svelte';

  /** What can be had of a picture, behind one button: its numbers, and files. */
  interface Props {
    svg: SVGSVGElement | null;
    label: string;
    numbers?: Numbers;
    /** In a corner of the picture, where nothing else stands there. */
    corner?: boolean;
  }
  let { svg, label, numbers, corner = false }: Props = $props();
  let opened = $state(false);
  let menu = $state<HTMLDetailsElement | null>(null);

  function close(): void {
    if (menu) menu.open = false;
  }

  /** The focus goes back to the one button that stays. */
  function done(what: () => unknown): void {
    menu?.querySelector('summary')?.focus();
    close();
    void what();
  }

  /** It closes by Escape, and once the focus is elsewhere. */
  function leaving(node: HTMLElement): () => void {
    const out = (event: FocusEvent) => {
      if (!node.contains(event.relatedTarget as Node | null)) close();
    };
    const key = (event: KeyboardEvent) => {
      if (event.key !== 'Escape' || !menu?.open) return;
      event.stopPropagation();
      done(() => undefined);
    };
    node.addEventListener('focusout', out);
    node.addEventListener('keydown', key);
    return () => {
      node.removeEventListener('focusout', out);
      node.removeEventListener('keydown', key);
    };
  }
</script>

<details class="save" class:corner bind:this={menu} {@attach leaving}>
  <summary title="The numbers of this picture, and its files">Numbers, files</summary>
  <div class="list">
    {#if numbers?.rows.length}
      <button type="button" title="The numbers behind the picture" onclick={() => done(() => (opened = true))}
        >Numbers</button
      >
    {/if}
    <button type="button" title="Save this picture as PNG" onclick={() => done(() => svg && savePng(svg, label))}
      >Save as PNG</button
    >
    <button type="button" title="Save this picture as SVG" onclick={() => done(() => svg && saveSvg(svg, label))}
      >as SVG</button
    >
    <button type="button" title="Save a description of it in words" onclick={() => done(() => saveText(label))}
      >as text</button
    >
  </div>
</details>
{#if opened && numbers}<NumbersTable {numbers} {label} close={() => (opened = false)} />{/if}

<style>
  .save {
    position: relative;
    width: fit-content;
    margin-left: auto;
    font-size: 12px;
  }
  .save.corner {
    position: absolute;
    top: 0;
    right: 0;
    background: var(--paper);
  }
  summary {
    min-height: 24px;
    padding: 3px 4px;
    color: var(--quiet-ink);
    line-height: 18px;
    cursor: pointer;
  }
  .list {
    position: absolute;
    right: 0;
    bottom: 24px;
    z-index: 5;
    display: flex;
    flex-direction: column;
    min-width: 120px;
    border: 1px solid var(--ink);
    background: var(--sheet);
  }
  .corner .list {
    top: 24px;
    bottom: auto;
  }
  button {
    min-height: 26px;
    padding: 2px 10px;
    border: 0;
    background: none;
    text-align: left;
    cursor: pointer;
  }
  button:hover {
    background: var(--paper);
  }
</style>
