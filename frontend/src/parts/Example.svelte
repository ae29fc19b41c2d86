<script lang="ts">
  import type { Snippet } from 'svelte';

  /** What will stand here, drawn from the demo: nobody's own, marked as what it is, and without anything to press. */
  interface Props {
    /** What fills this view, as a sentence. */
    how: string;
    children: Snippet;
  }
  let { how, children }: Props = $props();
</script>

<figure>
  <figcaption><strong>Example</strong> from the simulated boathouse. {how}</figcaption>
  <div class="drawn" inert>{@render children()}</div>
</figure>

<style>
  figure {
    display: flex;
    flex: 1;
    flex-direction: column;
    gap: 8px;
    min-height: 240px;
    padding: 10px 14px;
    margin: 10px 0 0;
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
