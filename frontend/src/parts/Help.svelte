<script lang="ts">
  import { KEYS } from '../lib/keys';
  import { place } from '../lib/place.svelte';
  import Button from './Button.svelte';

  let panel = $state<HTMLDialogElement | null>(null);
  $effect(() => {
    if (place.help) panel?.showModal();
    else panel?.close();
  });
</script>

<dialog bind:this={panel} onclose={() => (place.help = false)} aria-label="Keys">
  <h2>Keys</h2>
  <dl>
    {#each KEYS as [key, what] (key)}
      <dt class="num">{key}</dt>
      <dd>{what}</dd>
    {/each}
  </dl>
  <Button onclick={() => (place.help = false)}>Close</Button>
</dialog>

<style>
  dialog {
    padding: 20px 24px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: var(--sheet);
    color: var(--ink);
  }
  dialog::backdrop {
    background: rgb(21 24 27 / 35%);
  }
  dl {
    display: grid;
    grid-template-columns: 64px 1fr;
    gap: 6px 12px;
    margin: 12px 0 16px;
  }
</style>
