<script lang="ts">
  import { marked, t } from '../../lib/words';
  import Mark from '../../parts/Mark.svelte';
  import { loadClip, type Overview } from '../../lib/api';
  import { level, signed, withUnit } from '../../lib/format';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import ClipEditor from './ClipEditor.svelte';
  import ReturnChoice from './ReturnChoice.svelte';

  /** What goes with the voice: sources in use, how they drop under it, the return, and clips on keys. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let picker = $state<HTMLInputElement | null>(null);
  let trimming = $state<number | null>(null);
  const live = $derived(overview.run.live);
  const ducking = $derived(overview.ducking);
  const sources = $derived(overview.sources.filter((source) => source.kind !== 'return'));

  function choose(): void {
    const file = picker?.files?.[0];
    if (file) void desk.attempt(() => loadClip(file));
    if (picker) picker.value = '';
  }
</script>

<div class="columns">
  <section aria-label="Sources">
    <h3>In use</h3>
    {#each sources as source (source.key)}
      <label class="line">
        <input
          type="checkbox"
          checked={source.on}
          disabled={source.kind === 'voice'}
          onchange={(e) =>
            void desk.do('put', '/api/sources/{key}/use', {
              params: { path: { key: source.key } },
              body: { on: e.currentTarget.checked },
            })}
        />
        <span class="name">{source.name}</span>
        <span class="num">{source.on ? withUnit(source.lufs, 'LUFS') : ''}</span>
        {#if source.because.length}<span class="soft">{source.because.join(' ')}</span>{/if}
      </label>
    {/each}
    {#if ducking}
      <h3>Under your voice</h3>
      <p class="soft">
        What ducks does so once your voice reaches <span class="num">{level(ducking.threshold_dbfs, 0)} dBFS</span>,
        within
        <span class="num">{marked(ducking.attack_ms.toFixed(0))} ms</span>, holds
        <span class="num">{marked(ducking.hold_ms.toFixed(0))} ms</span>
        and is back in <span class="num">{marked(ducking.release_ms.toFixed(0))} ms</span>. {ducking.because}
        {#if live && desk.live?.duck !== undefined}Now {marked((100 * desk.live.duck).toFixed(0))} % down.{/if}
      </p>
    {/if}
    <h3>Returns</h3>
    {#if !overview.computer.simulated}<ReturnChoice {overview} />{/if}
    {#each overview.returns as back (back.of)}
      <div class="back">
        <strong>{back.name}</strong>
        {#if back.before && back.after}
          <span class="num">{level(back.before.lufs)} → {level(back.after.lufs)} LUFS</span>
          <span class="num">{level(back.before.true_peak_dbtp)} → {level(back.after.true_peak_dbtp)} dBTP</span>
          <span class="num"
            >hum {back.before.hum_dbfs === null ? t('none') : level(back.before.hum_dbfs, 0)} → {back.after.hum_dbfs ===
            null
              ? 'none'
              : `${level(back.after.hum_dbfs, 0)} dBFS`}</span
          >
          <span class="num">2–5 kHz {signed(back.before.harsh_db ?? 0)} → {signed(back.after.harsh_db ?? 0)} dB</span>
          <span class="soft">{back.because.join(' ')}</span>
        {:else}<span class="soft">Not measured yet. Meanwhile a limiter at −6 dBTP protects your ears.</span>{/if}
      </div>
    {:else}{#if overview.computer.simulated}<p class="soft">
          There is no return: no call or game chat is in use.
        </p>{/if}{/each}
    {#if overview.returns.length}
      <Button disabled={!live} onclick={() => void desk.do('post', '/api/returns')}
        >Measure and treat the returns</Button
      >
    {/if}
  </section>
  <section aria-label="Clips">
    <h3>Clips</h3>
    <p class="soft">
      All clips have the same loudness; beside each is its own. Shift and its number plays it to every listener that
      gets clips.
    </p>
    {#each overview.clips as clip (clip.id)}
      <div class="clip">
        <button
          type="button"
          class="pad"
          disabled={!live || clip.fault !== null}
          onclick={() => void playback.pressClip(clip.id)}
        >
          <kbd>{clip.key ? `⇧${clip.key}` : '–'}</kbd>
          {clip.name}
        </button>
        <span class="num">{marked((clip.end_s - clip.start_s).toFixed(1))} s, {withUnit(clip.lufs, 'LUFS')}</span>
        <button
          type="button"
          class="link"
          aria-expanded={trimming === clip.id}
          onclick={() => (trimming = trimming === clip.id ? null : clip.id)}>Change</button
        >
        {#if clip.fault}<span class="fault"><Mark kind="fault" /> {clip.fault}</span>{/if}
        {#if trimming === clip.id}
          <ClipEditor {clip} />
        {/if}
      </div>
    {/each}
    <input
      bind:this={picker}
      type="file"
      accept=".wav,.flac,.aiff,.aif,.ogg,audio/*"
      class="hidden-text"
      tabindex="-1"
      aria-label="Clip file"
      onchange={choose}
    />
    <p class="load"><Button onclick={() => picker?.click()}>Load a sound</Button></p>
  </section>
</div>

<style>
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 28px;
  }
  h3 {
    margin: 10px 0 4px;
    font-size: 15px;
  }
  section > h3:first-child {
    margin-top: 0;
  }
  .line {
    display: flex;
    flex-wrap: wrap;
    gap: 0 8px;
    align-items: center;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  .name {
    flex: 1;
  }
  .num {
    font-size: 12px;
  }
  .soft {
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .back {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 14px;
    align-items: baseline;
    padding: 4px 0 6px;
  }
  .back .soft,
  .line .soft {
    flex-basis: 100%;
    margin: 0;
  }
  .load {
    margin-top: 10px;
  }
  .clip {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: center;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  .fault {
    flex-basis: 100%;
    font-size: 13px;
  }
  .pad {
    flex: 1;
    min-height: 34px;
    padding: 2px 10px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 600;
    text-align: left;
    cursor: pointer;
  }
  .pad:disabled {
    border-color: var(--edge);
    color: var(--quiet-ink);
    cursor: default;
  }
  kbd {
    padding: 0 4px;
    margin-right: 6px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    font: 500 11px/18px var(--mono);
  }
  @media (max-width: 640px) {
    .columns {
      grid-template-columns: minmax(0, 1fr);
      height: auto;
    }
  }
</style>
