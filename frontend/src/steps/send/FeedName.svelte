<script lang="ts">
  import type { Destination, Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import { typing } from '../../lib/typing.svelte';

  /** How a listener is reached in this computer: a feed by its name, or the output that it is played to. */
  interface Props {
    destination: Destination;
    overview: Overview;
  }
  let { destination, overview }: Props = $props();
  const outputs = $derived(overview.computer.devices.filter((d) => d.direction === 'output'));
  const path = $derived({ key: destination.key });
</script>

{#if destination.feed}
  <label>
    picked as
    <input
      aria-label="Name of the feed for {destination.name}"
      maxlength="80"
      {@attach typing(
        () => destination.feed ?? '',
        (text) =>
          desk.do('put', '/api/destinations/{key}/feed', { params: { path }, body: { title: text.trim() || null } }),
      )}
    />
  </label>
{:else if destination.kind === 'headphones'}
  <label>
    plays to
    <select
      aria-label="Output of {destination.name}"
      value={destination.plays ?? ''}
      onchange={(e) =>
        void desk.do('put', '/api/destinations/{key}/output', {
          params: { path },
          body: { device_id: e.currentTarget.value || null },
        })}
    >
      <option value="">no output</option>
      {#each outputs as output (output.id)}<option value={output.id}>{output.own_name ?? output.system_name}</option
        >{/each}
      {#if destination.plays && !outputs.some((output) => output.id === destination.plays)}
        <option value={destination.plays}>{destination.plays} (not there)</option>
      {/if}
    </select>
  </label>
{/if}

<style>
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
    white-space: nowrap;
  }
  input,
  select {
    flex: 1;
    min-width: 0;
    min-height: 28px;
  }
</style>
