<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview, SystemProgram } from '../../lib/api';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';

  /** The programs of this computer that record right now, what each picked, and a way to the feed. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();

  const feeds = $derived(overview.destinations.filter((entry) => entry.on && entry.feed));
  /** Where a program is moved to unless the person says otherwise: the listener in hand. */
  const usual = $derived(feeds.find((entry) => entry.key === place.listener) ?? feeds[0]);
  let moved = $state<number[]>([]);

  async function move(program: SystemProgram, key: string): Promise<void> {
    const done = await desk.do('post', '/api/programs/{index}/move', {
      params: { path: { index: program.index } },
      body: { to: key },
    });
    if (done) moved = [...moved, program.index];
  }

  function hears(program: SystemProgram): string {
    const picked = program.picked ?? 'nothing';
    if (program.hears === 'raw') return t('records {picked}: the raw microphone', { picked });
    return t('records {picked}', { picked });
  }
</script>

<section aria-label="Programs that record">
  <h3>These programs record right now</h3>
  {#if overview.computer.missing}
    <p class="soft"><Mark kind="fault" /> {overview.computer.missing}</p>
    <p class="soft">
      Feeds need a sound server: Debian’s pipewire-pulse or pulseaudio. Calibrating, the recorder and files work without
      one.
    </p>
  {/if}
  <ul>
    {#each overview.programs as program (program.index)}
      <li>
        <Mark kind={program.hears === 'feed' ? 'good' : program.hears === 'raw' ? 'fault' : 'none'} />
        <span class="who">
          <strong
            title={program.process_id === null
              ? undefined
              : t('process {process_id}', { process_id: program.process_id })}>{program.program}</strong
          >
          <span class="soft">{hears(program)}</span>
          {#if program.muted}<span class="soft">It is muted at the sound server.</span>{/if}
          {#if !program.muted && program.volume_percent < 100}<span class="soft"
              >It records it at {program.volume_percent} %.</span
            >{/if}
          {#if moved.includes(program.index)}<span class="soft"
              >Moved. Its own menu still names its earlier choice.</span
            >{/if}
        </span>
        {#if program.hears !== 'feed' && usual}
          <button type="button" onclick={() => void move(program, usual.key)}>Move to {usual.feed}</button>
        {:else if feeds.length > 1}
          <label>
            <span class="hidden-text">{program.program} hears</span>
            <select value={program.feed} onchange={(e) => void move(program, e.currentTarget.value)}>
              {#each feeds as feed (feed.key)}<option value={feed.key}>{feed.feed}</option>{/each}
            </select>
          </label>
        {/if}
      </li>
    {:else}
      {#if !overview.computer.missing}<li class="soft">None.</li>{/if}
    {/each}
    {#if usual && !overview.computer.missing}
      <li>
        <span class="who">
          <strong>Not open yet?</strong>
          <span class="soft"
            >Choose “{usual.feed}” as the microphone in its settings. It appears here within a second.
            <a href="/listener" target="_blank">Open a page that listens</a> instead.</span
          >
        </span>
      </li>
    {/if}
  </ul>
  <label class="stay">
    <input
      type="checkbox"
      checked={overview.feeds_stay}
      onchange={(e) => void desk.do('put', '/api/feeds/stay', { body: { stay: e.currentTarget.checked } })}
    />
    Feeds stay when Obsidian Wren ends, and are silent
  </label>
</section>

<style>
  section {
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  h3 {
    font: 600 14px/1.3 var(--text);
  }
  ul {
    margin: 4px 0;
  }
  li {
    display: flex;
    gap: 9px;
    align-items: flex-start;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  li :global(svg) {
    flex: none;
    margin-top: 3px;
  }
  .who {
    flex: 1;
    min-width: 0;
  }
  .who > * {
    display: block;
  }
  .soft {
    color: var(--quiet-ink);
  }
  a {
    color: inherit;
    font-weight: 600;
  }
  button {
    min-height: 28px;
    padding: 0 8px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    font-weight: 600;
    cursor: pointer;
  }
  select {
    min-height: 28px;
    font-size: 13px;
  }
  .stay {
    display: flex;
    gap: 6px;
    align-items: center;
  }
</style>
