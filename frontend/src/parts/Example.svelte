<script lang="ts">
  import type { Snippet } from 'svelte';

  /** What will stand here, drawn from the demo: nobody's own, marked as what it is, and without anything to press. */
  interface Props {
    /** What fills this view, as a sentence. */
    how: string;
    /** What stands beside it where there is room, such as what to do. */
    beside?: Snippet;
    children: Snippet;
  }
  let { how, beside, children }: Props = $props();
</script>

<div class="whole">
  {#if beside}<div>{@render beside()}</div>{/if}
  <figure>
    <figcaption><strong>Example</strong> from the simulated boathouse. {how}</figcaption>
    <div class="drawn" inert>{@render children()}</div>
  </figure>
</div>

<style>
  .whole {
    display: grid;
    flex: 1;
    grid-template-columns: repeat(auto-fit, minmax(min(330px, 100%), 1fr));
    gap: 10px 18px;
    margin-top: 10px;
  }
  figure {
    display: flex;
    flex-direction: column;
    gap: 8px;
    min-width: 0;
    min-height: 240px;
    padding: 10px 14px;
    margin: 0;
    border: 1px dashed var(--edge);
  }
  figcaption {
    font-size: 13px;
  }
  strong {
    padding: 0 6px;
    margin-right: 4px;
    border: 1px dashed var(--ink);
    font-weight: 600;
  }
  .drawn {
    flex: 1;
    min-height: 0;
    opacity: 0.6;
  }
  /* Its numbers and files are not the person's. */
  .drawn :global(.save) {
    display: none;
  }
</style>
