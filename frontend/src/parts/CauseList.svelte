<script lang="ts">
  import type { Cause } from '../lib/api';
  import { proper } from '../lib/format';
  import Mark from './Mark.svelte';

  /** Causes in the order of mending: what it is, the evidence, what to do, and by how much the floor would fall. */
  interface Props {
    causes: Cause[];
    none: string;
  }
  let { causes, none }: Props = $props();
</script>

{#if !causes.some((cause) => cause.complaint)}
  <p class="none"><Mark kind="good" /> {none}</p>
{/if}
<ol>
  {#each causes as cause (cause.code + cause.title)}
    <li>
      <div class="head">
        <Mark kind={cause.complaint ? 'fault' : 'none'} />
        <h3>{cause.title}</h3>
        <span class="num">{cause.worth}</span>
      </div>
      <p>{proper(cause.evidence)}</p>
      {#if cause.complaint}<p class="remedy">{proper(cause.remedy)}</p>{/if}
    </li>
  {/each}
</ol>

<style>
  ol {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
  }
  .none {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
    font-weight: 600;
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: baseline;
  }
  .head :global(svg) {
    align-self: center;
  }
  h3 {
    flex: 1;
    font: 600 14px/1.3 var(--text);
  }
  .num {
    font-size: 13px;
    font-weight: 700;
  }
  p {
    margin-top: 2px;
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.4;
  }
  .remedy {
    color: var(--ink);
  }
</style>
