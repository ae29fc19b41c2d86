<script lang="ts">
  import type { Snippet } from 'svelte';

  /** What the guided run and the check look like: what to do and a large count, a picture beside it, the parts under it, one action. */
  interface Part {
    title: string;
    /** How far it is, 0 to 1. */
    share: number;
    says: string;
    now: boolean;
    notes?: string[];
  }
  interface Props {
    title: string;
    about: string;
    leave: string;
    onleave: () => void;
    parts: Part[];
    say: Snippet;
    picture: Snippet;
    action: Snippet;
  }
  let { title, about, leave, onleave, parts, say, picture, action }: Props = $props();
</script>

<section class="run" aria-labelledby="run">
  <div class="top">
    <h2 id="run" tabindex="-1">{title}</h2>
    <span class="soft">{about}</span>
    <button type="button" class="link" onclick={onleave}>{leave}</button>
  </div>
  <div class="middle">
    <div class="say">{@render say()}</div>
    <div class="picture">{@render picture()}</div>
  </div>
  <ol aria-label="Parts" style:--parts={parts.length}>
    {#each parts as part (part.title)}
      <li aria-current={part.now ? 'step' : undefined}>
        <span class="bar"><span style:width="{100 * part.share}%"></span></span>
        <strong>{part.title}</strong>
        <span class="soft">{part.says}</span>
        {#each part.notes ?? [] as note (note)}<span class="note">{note}</span>{/each}
      </li>
    {/each}
  </ol>
  <div class="action">{@render action()}</div>
</section>

<style>
  .run {
    display: flex;
    flex-direction: column;
    height: 100%;
    padding: 12px 20px;
    overflow: auto;
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    align-items: baseline;
  }
  .top .link {
    min-height: 24px;
    margin-left: auto;
    font-weight: 400;
  }
  h2 {
    font-size: 21px;
  }
  h2:focus {
    outline: none;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .middle {
    display: grid;
    flex: 1;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 20px;
    min-height: 220px;
    padding: 12px 0;
  }
  .say {
    display: flex;
    flex-direction: column;
    gap: 8px;
    overflow: auto;
  }
  .say :global(h3) {
    font-size: 21px;
  }
  .say :global(.soft) {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .say :global(.passage) {
    max-width: 62ch;
    font-size: 17px;
    line-height: 1.55;
  }
  .say :global(.count) {
    min-height: 52px;
    font-size: 40px;
    font-weight: 700;
  }
  .say :global(.count.busy) {
    font-size: 20px;
  }
  ol {
    display: grid;
    grid-template-columns: repeat(var(--parts), minmax(0, 1fr));
    gap: 8px;
    padding: 0;
    margin: 0 0 10px;
    list-style: none;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 0 8px;
    align-items: baseline;
    align-content: flex-start;
    font-size: 13px;
  }
  .bar {
    flex-basis: 100%;
    height: 14px;
    margin-bottom: 3px;
    border: 1px solid var(--ink);
  }
  .bar span {
    display: block;
    height: 100%;
    background: var(--ink);
  }
  .note {
    flex-basis: 100%;
    color: var(--peak);
    font-size: 12px;
    line-height: 1.3;
  }
  .action {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding-top: 10px;
    border-top: 1px solid var(--rule);
  }
  @media (max-width: 900px), (max-height: 600px) {
    .run {
      height: auto;
      padding: 10px 12px;
    }
    .middle {
      grid-template-columns: minmax(0, 1fr);
    }
    .picture {
      height: 200px;
    }
    .action {
      position: sticky;
      bottom: 0;
      padding: 8px 0;
      background: var(--sheet);
    }
  }
  @media (max-width: 640px) {
    ol {
      grid-template-columns: repeat(2, minmax(0, 1fr));
    }
  }
</style>
