<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { SPLIT } from '../../lib/examples';
  import { level, proper } from '../../lib/format';
  import { t } from '../../lib/words';
  import Example from '../../parts/Example.svelte';
  import SplitPicture from './SplitPicture.svelte';

  /** The floor split, and what is still missing to split it. */
  let { overview }: { overview: Overview } = $props();
  const split = $derived(overview.split);
</script>

{#if split}
  <p class="meaning">
    {split.meaning}
    {#if split.over_rest_db !== null}
      It lies <span class="num">{level(split.over_rest_db)} dB</span> over the sum of the others.
    {/if}
    {#if split.stale}<br />{proper(split.stale)}{/if}
  </p>
  <div class="picture"><SplitPicture {split} /></div>
  {#if split.missing}<p class="missing">{split.missing}</p>{/if}
{:else}
  <Example how={t('Record the muted input to see your own.')}>
    {#snippet beside()}
      <div class="missing tall">
        <p>Two short takes separate room, preamp and converter:</p>
        <ul>
          <li>
            <strong>The muted input</strong>: mute the microphone at its own switch, or unplug it (phantom power off
            first). The rest is preamp and converter.
          </li>
          <li>
            <strong>The room at another gain</strong>: turn the preamp by 10 dB or more, and back afterwards. What does
            not move with it is the converter.
          </li>
        </ul>
      </div>
    {/snippet}
    <SplitPicture split={SPLIT} /></Example
  >
{/if}

<style>
  .meaning {
    max-width: 78ch;
    padding-bottom: 6px;
    font-weight: 600;
  }
  .picture {
    height: calc(100% - 76px);
    min-height: 230px;
  }
  .missing {
    max-width: 72ch;
    color: var(--quiet-ink);
  }
  .tall {
    margin-top: 16px;
    padding: 14px 18px;
    border-left: 3px solid var(--ink);
    color: var(--ink);
    font-size: 15px;
  }
  li {
    margin-top: 8px;
  }
</style>
