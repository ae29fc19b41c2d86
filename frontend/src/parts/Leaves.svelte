<script lang="ts">
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';

  /** The leaves of a step: what its bench can show, one at a time. */
  /** Nothing is set in real programs from here; what they record stands beside the listeners. */
  const leaves = $derived(
    place.leaves.filter((leaf) => leaf.name !== 'programs' || desk.overview?.computer.simulated !== false),
  );

  function choose(name: string): void {
    place.leaf[place.step] = name;
  }

  function onkeydown(event: KeyboardEvent): void {
    const at = leaves.findIndex((leaf) => leaf.name === place.leafName);
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: leaves.length - 1 }[event.key];
    if (to === undefined) return;
    const next = leaves[(to + leaves.length) % leaves.length];
    if (!next) return;
    event.preventDefault();
    choose(next.name);
    const list = event.currentTarget as HTMLElement;
    requestAnimationFrame(() => list.querySelector<HTMLElement>('[aria-selected="true"]')?.focus());
  }
</script>

<div role="tablist" tabindex="-1" aria-label="Views of this step" {onkeydown}>
  {#each leaves as leaf (leaf.name)}
    <button
      type="button"
      role="tab"
      id="leaf-{leaf.name}"
      aria-controls="leaf"
      aria-selected={place.leafName === leaf.name}
      tabindex={place.leafName === leaf.name ? 0 : -1}
      onclick={() => choose(leaf.name)}>{leaf.title}</button
    >
  {/each}
</div>

<style>
  div {
    display: flex;
    flex-wrap: wrap;
    gap: 0 18px;
    border-bottom: 1px solid var(--rule);
  }
  button {
    min-height: 24px;
    padding: 4px 0 6px;
    border: 0;
    border-bottom: 3px solid transparent;
    background: none;
    color: var(--quiet-ink);
    font-size: 13px;
    font-weight: 600;
    white-space: nowrap;
    cursor: pointer;
  }
  button[aria-selected='true'] {
    border-bottom-color: var(--ink);
    color: var(--ink);
  }
</style>
