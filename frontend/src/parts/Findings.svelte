<script lang="ts">
  import { counted } from '../lib/words';
  import type { Finding } from '../lib/api';
  import { desk } from '../lib/state.svelte';
  import Mark from './Mark.svelte';

  let { findings }: { findings: Finding[] } = $props();
</script>

{#if findings.length}
  <details class="findings" open={findings.length < 3}>
    <summary>
      <Mark kind="fault" />
      {counted(
        findings.length,
        'One thing in the data folder needs a look',
        '{count} things in the data folder need a look',
      )}
    </summary>
    <ul>
      {#each findings as finding (finding.code + finding.sentence)}
        <li>
          {finding.sentence}
          {finding.action}
          {#if finding.code === 'unreadable-brought'}
            <button type="button" onclick={() => void desk.do('delete', '/api/brought')}>Put the file away</button>
          {/if}
        </li>
      {/each}
    </ul>
  </details>
{/if}

<style>
  .findings {
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
    font-size: 13px;
  }
  summary {
    font-weight: 600;
    cursor: pointer;
  }
  summary :global(svg) {
    margin: 0 6px 0 4px;
  }
  ul {
    max-width: 100ch;
    padding: 0;
    margin: 4px 0 2px;
    list-style: none;
  }
  li {
    padding: 2px 0;
  }
</style>
