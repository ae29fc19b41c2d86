<script lang="ts">
  import { marked } from '../lib/words';
  import type { Take } from '../lib/api';
  import { clock } from '../lib/format';
  import { playback } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import { TAKE_NAMES as NAMES } from '../lib/steps';

  /** What is to be said of the take that was chosen, and takes that were cut off. */
  interface Props {
    detail: Take | undefined;
  }
  let { detail }: Props = $props();
  const halves = $derived(desk.overview?.halves ?? []);
</script>

{#if detail}
  <p class="detail">
    {#if detail.fault}<strong>{detail.fault}</strong>{/if}
    {detail.notes.join(' ')}
    {detail.ended ?? ''}
    {detail.stale ?? ''}
    {#if !detail.fault}
      <button
        type="button"
        class="link"
        onclick={() => {
          playback.stopSound();
          playback.heardTake = detail.id;
          playback.hear(playback.version);
        }}>Hear this take</button
      >
    {/if}
    <button
      type="button"
      class="link"
      onclick={() => void desk.do('delete', '/api/takes/{id}', { params: { path: { id: detail.id } } })}
      >Discard this take</button
    >
  </p>
{/if}
{#each halves as half (half.id)}
  <p class="detail">
    A take of {NAMES[half.purpose]} was interrupted after {marked(half.seconds.toFixed(1))} s ({clock(
      half.started_at,
    )}). What came before is complete.
    <button
      type="button"
      class="link"
      onclick={() => void desk.do('post', '/api/halves/{id}/keep', { params: { path: { id: half.id } } })}
      >Use it</button
    >
    <button
      type="button"
      class="link"
      onclick={() => void desk.do('delete', '/api/halves/{id}', { params: { path: { id: half.id } } })}
      >Discard it</button
    >
  </p>
{/each}

<style>
  .detail {
    padding: 8px 12px;
    border-top: 1px solid var(--ink);
    background: var(--sheet);
    font-size: 13px;
  }
  .link {
    padding: 0 4px;
    font-weight: 600;
  }
</style>
