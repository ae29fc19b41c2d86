<script lang="ts">
  import type { Overview } from '../lib/api';
  import { place } from '../lib/place.svelte';
  import { dueForCheck } from '../lib/reminder';
  import Button from './Button.svelte';

  /** Once a day at most, when it goes live: whether anything moved is not known. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const KEY = 'check-dismissed';
  let dismissed = $state(localStorage.getItem(KEY));
  // Where it is watched, nobody has to ask.
  const due = $derived(
    overview.run.live && !overview.noticing.watches && dueForCheck(overview.takes, dismissed, new Date()),
  );

  function dismiss(): void {
    dismissed = new Date().toISOString();
    localStorage.setItem(KEY, dismissed);
  }

  function look(): void {
    dismiss();
    place.checking = true;
  }
</script>

{#if due}
  <div class="reminder" role="status">
    <span>Your takes are from another day. A check of 20 s shows whether anything drifted.</span>
    <Button onclick={look}>Check what moved</Button>
    <Button quiet onclick={dismiss}>Not today</Button>
  </div>
{/if}

<style>
  .reminder {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    padding: 5px 0;
  }
</style>
