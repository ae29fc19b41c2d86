<script lang="ts">
  import type { Snippet } from 'svelte';
  import { place } from '../lib/place.svelte';
  import { wide } from '../lib/window';
  import Leaves from './Leaves.svelte';

  /** Evidence on the left, the slip on the right, its one action at the foot. */
  interface Props {
    title: string;
    lead: string;
    evidence: Snippet;
    /** The leaf whose picture stands beside it in a wide window, where that leaf has one. */
    beside?: string | null;
    second?: Snippet<[string]>;
    slip: Snippet;
    action?: Snippet;
  }
  let { title, lead, evidence, beside = null, second, slip, action }: Props = $props();

  /** What scrolls and holds nothing to stop at can be scrolled by keys all the same. */
  function reachable(lines: HTMLElement): () => void {
    const look = () => {
      const stops = lines.querySelector('a, button, input, select, summary') !== null;
      if (stops || lines.scrollHeight <= lines.clientHeight) lines.removeAttribute('tabindex');
      else lines.tabIndex = 0;
    };
    const size = new ResizeObserver(look);
    const content = new MutationObserver(look);
    size.observe(lines);
    content.observe(lines, { subtree: true, childList: true });
    return () => {
      size.disconnect();
      content.disconnect();
    };
  }
</script>

<div class="bench" class:two={wide.current && second && beside}>
  <section class="evidence" aria-label="Evidence">
    <div class="heading">
      <h2 tabindex="-1">{title}</h2>
      {#if place.leaves.length}<Leaves />{/if}
    </div>
    <p class="lead">{lead}</p>
    <div
      class="picture"
      id="leaf"
      role={place.leaves.length ? 'tabpanel' : undefined}
      aria-labelledby={place.leaves.length ? `leaf-${place.leafName}` : undefined}
    >
      {@render evidence()}
    </div>
  </section>
  {#if wide.current && second && beside}
    {@const leaf = place.leaves.find((each) => each.name === beside)}
    <section class="evidence second" aria-label="Compared with: {leaf?.title}">
      <div class="heading">
        <button type="button" class="link" onclick={() => (place.leaf[place.step] = beside)}>{leaf?.title}</button>
      </div>
      <div class="picture">{@render second(beside)}</div>
    </section>
  {/if}
  <section class="slip" aria-label="Settings">
    <div class="lines" {@attach reachable}>{@render slip()}</div>
    {#if action}<div class="action">{@render action()}</div>{/if}
  </section>
</div>

<style>
  .bench {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(330px, 31%);
    height: 100%;
    min-height: 0;
  }
  .bench.two {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) minmax(330px, 25%);
  }
  .second {
    border-left: 1px solid var(--rule);
  }
  .second .heading {
    min-height: 52px;
  }
  .evidence {
    display: flex;
    flex-direction: column;
    min-height: 0;
    padding: 12px 20px 10px;
  }
  .heading {
    display: flex;
    gap: 4px 28px;
    align-items: baseline;
    flex-wrap: wrap;
  }
  h2 {
    font-size: 21px;
  }
  h2:focus {
    outline: none;
  }
  h2:focus-visible {
    outline: 2px solid var(--aim);
  }
  .lead {
    text-wrap: pretty;
    margin-top: 4px;
    color: var(--quiet-ink);
  }
  .picture {
    flex: 1;
    min-height: 0;
    margin-top: 8px;
    overflow: auto;
  }
  .slip {
    display: flex;
    flex-direction: column;
    min-height: 0;
    border-left: 1px solid var(--rule);
  }
  .lines {
    flex: 1;
    min-height: 0;
    padding: 6px 20px 6px 20px;
    overflow-y: auto;
  }
  .action {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding: 10px 20px 12px;
    border-top: 1px solid var(--rule);
  }
  /* A small window: one column, and the page itself scrolls. */
  @media (max-width: 900px), (max-height: 600px) {
    .bench {
      display: block;
      height: auto;
    }
    .evidence {
      padding: 10px 12px;
    }
    .picture {
      overflow: visible;
    }
    .slip {
      border-top: 1px solid var(--rule);
      border-left: 0;
    }
    .lines,
    .action {
      padding-inline: 12px;
    }
    .lines {
      overflow: visible;
    }
  }
</style>
