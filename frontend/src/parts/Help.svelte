<script lang="ts">
  import { KEYS } from '../lib/keys';
  import { place } from '../lib/place.svelte';
  import Button from './Button.svelte';

  /** What the step at hand uses stands first. */
  const keys = $derived(
    [...KEYS].sort((one, other) => Number(other[2] === place.step) - Number(one[2] === place.step)),
  );
  let panel = $state<HTMLDialogElement | null>(null);
  $effect(() => {
    if (place.help) panel?.showModal();
    else panel?.close();
  });
</script>

<dialog bind:this={panel} onclose={() => (place.help = false)} aria-label="Keys">
  <h2>Keys</h2>
  <dl>
    {#each keys as [key, what] (key)}
      <dt class="num">{key}</dt>
      <dd>{what}</dd>
    {/each}
  </dl>
  <label>
    <input
      type="checkbox"
      checked={place.singleKeys}
      onchange={(event) => place.useSingleKeys(event.currentTarget.checked)}
    />
    Single keys do something
  </label>
  <p>Switch them off if you speak to your computer, or press keys by accident. Ctrl Z stays.</p>
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
  label {
    display: flex;
    gap: 6px;
    align-items: center;
    font-weight: 600;
  }
  p {
    max-width: 46ch;
    margin: 2px 0 14px;
    color: var(--quiet-ink);
    font-size: 13px;
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
