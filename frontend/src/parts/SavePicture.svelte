<script lang="ts">
  import { savePng, saveText } from '../lib/save-picture';

  /** Two buttons over a picture, shown when it is pointed at or reached by Tab. */
  interface Props {
    svg: SVGSVGElement | null;
    label: string;
    /** At the top, where numbers stand at the bottom. */
    top?: boolean;
  }
  let { svg, label, top = false }: Props = $props();
</script>

<span class="save" class:top>
  <button type="button" title="Save this picture as PNG" onclick={() => svg && void savePng(svg, label)}
    >Save picture</button
  >
  <button type="button" title="Save what it shows in words" onclick={() => saveText(label)}>as text</button>
</span>

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
