<script lang="ts">
  import type { Destination, Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';

  /** Which input a listener picks, set in its program on a simulated computer. */
  interface Props {
    destination: Destination;
    inputs: Overview['inputs'];
  }
  let { destination, inputs }: Props = $props();
</script>

<label>
  chooses
  <select
    value={destination.picks}
    onchange={(e) =>
      void desk.do('put', '/api/destinations/{key}/picks', {
        params: { path: { key: destination.key } },
        body: { picks: e.currentTarget.value },
      })}
  >
    {#each inputs as input (input.name)}<option value={input.name}>{input.name}</option>{/each}
    {#if destination.picks && !inputs.some((input) => input.name === destination.picks)}
      <option value={destination.picks}>{destination.picks} (not there)</option>
    {/if}
  </select>
</label>

<style>
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select {
    flex: 1;
    min-width: 0;
  }
</style>
