<script lang="ts">
  import { codeWord } from '../../lib/code-words';
  import { t } from '../../lib/words';
  import type { Version } from '../../lib/api';
  import { clock } from '../../lib/format';
  import Mark from '../../parts/Mark.svelte';
  import { carried } from './carried.svelte';

  /** The versions, the newest first; one is chosen to be compared with now. */
  interface Props {
    versions: Version[];
  }
  let { versions }: Props = $props();
  /** Of several that hold the same, the newest. */
  const inForce = $derived(versions.find((version) => version.in_force)?.id);
  const made = (version: Version) =>
    version.step ? t('{step} confirmed', { step: codeWord(version.step) }) : t('kept');
</script>

{#if versions.length}
  <ol aria-label="Versions">
    {#each versions as version (version.id)}
      <li>
        <button
          type="button"
          aria-pressed={version.id === carried.chosen}
          onclick={() => void carried.choose(version.id)}
        >
          <span class="num">{version.number}</span>
          <span>
            <strong>{version.name || made(version)}</strong>
            <span class="soft">{clock(version.at)}{version.name ? `, ${made(version)}` : ''}</span>
            {#if version.note}<span class="soft note">{version.note}</span>{/if}
          </span>
          {#if version.id === inForce}<span class="now"><Mark kind="good" /> in force</span>
          {:else if version.in_force}<span class="now">the same</span>{/if}
        </button>
      </li>
    {/each}
  </ol>
{:else}
  <p class="soft">
    Confirm a step, and the calibration is saved as a version: you can compare it with what you have then, hear it
    blind, and bring it back.
  </p>
{/if}

<style>
  ol {
    max-height: 100%;
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    border-bottom: 1px solid var(--rule);
  }
  button {
    display: grid;
    grid-template-columns: 28px 1fr auto;
    gap: 8px;
    align-items: baseline;
    width: 100%;
    padding: 8px 6px;
    border: 0;
    background: none;
    text-align: left;
    cursor: pointer;
  }
  button[aria-pressed='true'] {
    background: var(--aim-tint);
  }
  .num {
    font-weight: 700;
    text-align: right;
  }
  .soft {
    display: block;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .note {
    font-style: italic;
  }
  .now {
    font-size: 13px;
    white-space: nowrap;
  }
</style>
