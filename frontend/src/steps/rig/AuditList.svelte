<script lang="ts">
  import type { Audit } from '../../lib/api';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';

  /** What disagrees in the sound settings, worst first, each with what to press or to do. */
  interface Props {
    findings: Audit[];
  }
  let { findings }: Props = $props();
</script>

<ol aria-label="What disagrees in the sound settings">
  {#each findings as finding (finding.code + finding.title)}
    <li>
      <Mark kind="fault" />
      <span><strong>{finding.title}.</strong> {finding.sentence}</span>
      {#if finding.change}
        {@const body = finding.change}
        <button type="button" onclick={() => void desk.do('patch', '/api/computer', { body })}>{finding.action}</button>
      {:else if finding.code === 'raw'}
        <button type="button" onclick={() => (place.step = 'send')}>{finding.action}</button>
      {:else}
        <span class="hand">{finding.action}.</span>
      {/if}
    </li>
  {:else}
    <li><Mark kind="good" /> <span>Nothing disagrees, and nothing processes the voice twice.</span></li>
  {/each}
</ol>

<style>
  ol {
    margin: 0 0 10px;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    gap: 9px;
    align-items: center;
    min-height: 36px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  li > span:not(.hand) {
    flex: 1;
    color: var(--quiet-ink);
  }
  @media (max-width: 640px) {
    li {
      flex-wrap: wrap;
    }
    li > span:not(.hand) {
      flex-basis: 80%;
    }
  }
  strong,
  .hand {
    color: var(--ink);
  }
  button {
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    font-weight: 600;
    white-space: nowrap;
    cursor: pointer;
  }
</style>
