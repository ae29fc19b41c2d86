<script lang="ts">
  import type { Overview } from '../lib/api';
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';
  import Button from './Button.svelte';
  import Mark from './Mark.svelte';

  /** What happened to the rig while live, said once: what it is, what to do, and one press. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const noticing = $derived(overview.noticing);

  function check(): void {
    void desk.do('post', '/api/noticing/put-aside');
    place.checking = true;
  }
</script>

{#if noticing.noticed}
  <div class="noticed" role="status">
    <Mark kind="fault" />
    <span><strong>{noticing.noticed.sentence}</strong> {noticing.noticed.action}</span>
    {#if noticing.noticed.takes_over}
      <Button onclick={() => void desk.do('post', '/api/noticing/take-over')}>Take it over</Button>
    {/if}
    <Button onclick={check}>Check it, 20 s</Button>
    <Button quiet onclick={() => void desk.do('post', '/api/noticing/put-aside')}>Leave it</Button>
  </div>
{:else if noticing.fault && overview.run.live}
  <p class="noticed" role="status"><Mark kind="fault" /> <span>{noticing.fault}</span></p>
{/if}

<style>
  .noticed {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 14px;
  }
  .noticed span {
    flex: 1 1 24ch;
    max-width: 90ch;
  }
</style>
