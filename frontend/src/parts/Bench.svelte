<script lang="ts">
  import type { Snippet } from 'svelte';
  import { place } from '../lib/place.svelte';
  import Leaves from './Leaves.svelte';

  /** Evidence on the left, the slip on the right, its one action at the foot. */
  interface Props {
    title: string;
    lead: string;
    evidence: Snippet;
    slip: Snippet;
    action?: Snippet;
  }
  let { title, lead, evidence, slip, action }: Props = $props();
</script>

<div class="bench">
  <section class="evidence" aria-label="Evidence">
    <div class="heading">
      <h2>{title}</h2>
      {#if place.leaves.length}<Leaves />{/if}
    </div>
    <p class="lead">{lead}</p>
    <div class="picture">{@render evidence()}</div>
  </section>
  <section class="slip" aria-label="Settings">
    <div class="lines">{@render slip()}</div>
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
</style>
