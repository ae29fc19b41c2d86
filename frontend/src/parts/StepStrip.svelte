<script lang="ts">
  import { codeWord } from '../lib/code-words';
  import type { Step } from '../lib/api';
  import { place } from '../lib/place.svelte';

  interface Props {
    steps: Step[];
  }
  let { steps }: Props = $props();
</script>

<nav aria-label="Steps">
  {#each steps as step, i (step.name)}
    <button
      type="button"
      class:current={place.shown === step.name}
      aria-current={place.shown === step.name ? 'step' : undefined}
      title={step.why ?? undefined}
      onclick={() => (place.step = step.name)}
    >
      <span class="num">{i + 1}</span>
      <span class="title">{step.title}</span>
      <span class="status {step.status.replace(' ', '-')}">{codeWord(step.status)}</span>
    </button>
  {/each}
</nav>

<style>
  nav {
    display: grid;
    grid-auto-flow: column;
    grid-auto-columns: minmax(0, 1fr);
    container-type: inline-size;
    border-top: 1px solid var(--ink);
  }
  button {
    display: flex;
    flex-wrap: wrap;
    gap: 0 6px;
    align-items: baseline;
    padding: 7px 9px 8px;
    border: 0;
    border-top: 3px solid transparent;
    border-left: 1px solid var(--rule);
    background: none;
    cursor: pointer;
    text-align: left;
  }
  button:first-child {
    border-left-color: transparent;
  }
  button.current {
    border-top-color: var(--ink);
    background: var(--sheet);
  }
  .title {
    flex: 1;
    font: 700 16px/1.2 var(--heading);
  }
  .status {
    color: var(--quiet-ink);
    font-size: 12px;
  }
  .status.stale {
    color: var(--caution);
    font-weight: 700;
    text-decoration: underline dotted;
  }
  /* Eight of them beside each other: number and title in one line, how far it is under them. */
  @container (max-width: 1180px) {
    button {
      padding: 5px 8px 6px;
    }
    .status {
      flex-basis: 100%;
    }
  }
  .status.open {
    color: var(--ink);
    font-weight: 600;
  }
  @container (max-width: 760px) {
    button {
      padding: 5px 6px;
    }
    .title {
      font-size: 14px;
    }
  }
  /* Two rows of four, and how far each is only where it matters. */
  @media (max-width: 640px) {
    nav {
      grid-auto-flow: row;
      grid-template-columns: repeat(4, minmax(0, 1fr));
    }
    button {
      border-top-width: 2px;
    }
    .status.confirmed,
    .status.not-yet {
      display: none;
    }
  }
  @media (max-height: 600px) {
    .status {
      display: none;
    }
  }
</style>
