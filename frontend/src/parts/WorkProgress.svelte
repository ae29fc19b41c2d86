<script lang="ts">
  import { desk } from '../lib/state.svelte';

  /** How far is what somebody waits for, and its end for whoever no longer does. */
</script>

<span class="working">
  <progress max="1" value={desk.working} aria-label="Calculating"></progress>
  <button type="button" class="link" onclick={() => desk.endWork()}>Stop it</button>
</span>

<style>
  .working {
    display: inline-flex;
    flex: none;
    gap: 10px;
    align-items: center;
    min-width: 118px;
    /* What is done at once need not be told. */
    animation: shown 0s 0.15s both;
  }
  progress {
    width: 90px;
  }
  @keyframes shown {
    from {
      visibility: hidden;
    }
  }
</style>
