<script lang="ts">
  import { t } from '../lib/words';
  import { controllers } from '../lib/controllers.svelte';
  import { place } from '../lib/place.svelte';

  /** While a knob is learned by touching a setting: what to do now, in every step. */
  const touched = $derived(place.chosenSetting !== null);
</script>

{#if controllers.learning === 'touched'}
  <p role="status">
    {touched ? t('Now turn the knob you want to assign.') : t('Touch a setting in any step, then turn a knob.')}
    <button type="button" onclick={() => (controllers.learning = null)}>Stop learning</button>
  </p>
{/if}

<style>
  p {
    display: flex;
    gap: 14px;
    align-items: center;
    padding: 6px 0;
  }
  button {
    min-height: 26px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: transparent;
    cursor: pointer;
  }
</style>
