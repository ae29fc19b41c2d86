<script lang="ts">
  import { t } from '../lib/words';
  import { chosenKeys, type Doing } from '../lib/chosen-keys.svelte';
  import { KEYS } from '../lib/keys';
  import { place } from '../lib/place.svelte';
  import Button from './Button.svelte';

  /** What the step at hand uses stands first. */
  const keys = $derived(
    [...KEYS].sort((one, other) => Number(other[2] === place.step) - Number(one[2] === place.step)),
  );
  const READ = [
    ['start', t('Getting started')],
    ['steps', t('What each step does')],
    ['questions', t('Questions people ask')],
    ['everyday', t('Every day: what it notices, situations, shortcuts')],
    ['using', t('Command line, real sound, formats')],
  ] as const;
  /** What a key is being chosen for. */
  let choosing = $state<Doing | null>(null);
  let refused = $state<string | null>(null);
  let panel = $state<HTMLDialogElement | null>(null);
  $effect(() => {
    if (place.help) panel?.showModal();
    else panel?.close();
    choosing = refused = null;
  });

  function onkeydown(event: KeyboardEvent): void {
    if (!choosing || event.key === 'Tab' || event.key === 'Shift') return;
    event.preventDefault();
    event.stopPropagation();
    refused = event.key === 'Escape' ? null : chosenKeys.choose(choosing, event.key);
    if (refused === null) choosing = null;
  }
</script>

<dialog bind:this={panel} onclose={() => (place.help = false)} aria-label="Keys">
  <p class="read">
    {#each READ as [page, title] (page)}<a
        href="/help/{page}.html{page === 'steps' ? `#${place.step}` : ''}"
        target="_blank">{title}</a
      >{/each}
  </p>
  <h2>Keys</h2>
  <dl>
    {#each keys as [key, what] (what)}
      <dt class="num">
        {#if typeof key === 'string'}
          {key}
        {:else}
          <button
            type="button"
            aria-label="{chosenKeys.of(key.does).toUpperCase()}: {what}. Choose another key"
            title="Choose another key"
            aria-pressed={choosing === key.does}
            {onkeydown}
            onclick={() => (choosing = choosing === key.does ? null : key.does)}
            onblur={() => (choosing = refused = null)}
            >{choosing === key.does ? '…' : chosenKeys.of(key.does).toUpperCase()}</button
          >
        {/if}
      </dt>
      <dd>
        {choosing !== null && typeof key !== 'string' && key.does === choosing
          ? (refused ?? t('press the key you want'))
          : what}
      </dd>
    {/each}
  </dl>
  {#if chosenKeys.changed}
    <button type="button" class="link" onclick={() => chosenKeys.reset()}>Restore the usual keys</button>
  {/if}
  <label>
    <input
      type="checkbox"
      checked={place.singleKeys}
      onchange={(event) => place.useSingleKeys(event.currentTarget.checked)}
    />
    Single keys have functions
  </label>
  <p>Switch them off if you use speech input or press keys by accident. Ctrl Z stays.</p>
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
  .read {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 18px;
    max-width: none;
  }
  dialog::backdrop {
    background: rgb(21 24 27 / 35%);
  }
  dt button {
    min-width: 28px;
    min-height: 26px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font: inherit;
    cursor: pointer;
  }
  dt button[aria-pressed='true'] {
    background: var(--ink);
    color: var(--sheet);
  }
  .link {
    margin-bottom: 12px;
  }
  dl {
    display: grid;
    grid-template-columns: 84px 1fr;
    align-items: center;
    gap: 6px 12px;
    margin: 12px 0 16px;
  }
</style>
