<script lang="ts">
  import { sendFile, type Purpose, type Take } from '../lib/api';
  import { clock, level } from '../lib/format';
  import { allProved, proofCount } from '../lib/send';
  import { desk } from '../lib/state.svelte';
  import { TAKE_NAMES as NAMES, TAKE_SECONDS, TAKE_WORDS as WORDS } from '../lib/steps';
  import Button from './Button.svelte';
  import LevelLine from './LevelLine.svelte';
  import Mark from './Mark.svelte';

  let picker = $state<HTMLInputElement | null>(null);
  let shown = $state<number | null>(null);

  const source = $derived(desk.overview?.rig.source ?? 'browser');
  const purpose = $derived(desk.purpose);
  const purposes = $derived(desk.purposes);
  const takes = $derived(
    purposes.length > 1
      ? (desk.overview?.takes
          .filter((take) => purposes.includes(take.purpose) && (take.current || take.fault))
          .slice(-3) ?? [])
      : (desk.overview?.takes.filter((take) => purposes.includes(take.purpose)).slice(-3) ?? []),
  );
  const gain = $derived(desk.overview?.controls.find((control) => control.key === 'preamp')?.position ?? null);
  let otherGain = $state<number | null>(null);
  const elsewhere = $derived(otherGain ?? (gain === null ? 0 : gain - 12));
  let filePurpose: Purpose | null = null;
  const halves = $derived(desk.overview?.halves ?? []);
  const step = $derived(desk.overview?.steps.find((entry) => entry.name === desk.step));
  const first = $derived(!desk.currentTake || step?.status === 'stale');
  const live = $derived(desk.overview?.run.live ?? false);
  const sending = $derived(desk.overview?.run.marker === 'sending');
  const proved = $derived(desk.overview ? allProved(desk.overview) : false);
  const count = $derived(desk.overview ? proofCount(desk.overview) : { good: 0, all: 0 });
  const detail = $derived(takes.find((take) => take.id === shown));

  function chooseFile(): void {
    const file = picker?.files?.[0];
    const wanted = filePurpose ?? purpose;
    if (!file || !wanted) return;
    if (file.size > 2 * 1024 ** 3) {
      desk.trouble = `${file.name} is over 2 GB. Cut out the part that you need, a minute is enough.`;
    } else {
      const more = wanted === 'other-gain' ? { position: elsewhere } : {};
      void desk.attempt(() => sendFile(wanted, file, desk.channel, more));
    }
    if (picker) picker.value = '';
  }

  function take(wanted: Purpose): void {
    if (source === 'file') {
      filePurpose = wanted;
      picker?.click();
    } else {
      void desk.take(wanted, wanted === 'other-gain' ? { position: elsewhere } : {});
    }
  }

  /** A take that is missing or stale is what comes next. */
  function next(wanted: Purpose): boolean {
    return first && wanted === purpose && wanted !== 'dial';
  }

  function title(wanted: Purpose): string {
    if (source === 'file') return `Choose a file for ${NAMES[wanted]}`;
    const verb = wanted === 'passage' ? 'Read' : 'Take';
    if (wanted === 'talk' && desk.untilSteady) return `${verb} ${NAMES[wanted]}`;
    // Of several, the usual one is named in full; the others stand beside it.
    if (wanted !== purposes[0] && purposes.includes('talk')) return `${NAMES[wanted]}, ${TAKE_SECONDS[wanted]} s`;
    return `${verb} ${NAMES[wanted]}, ${TAKE_SECONDS[wanted]} s`;
  }

  function heard(version: 'raw' | 'treated'): boolean {
    return desk.hearingLive ? desk.version === version : desk.playing === version;
  }

  function hear(version: 'raw' | 'treated'): void {
    if (desk.playing === version) desk.stopSound();
    else desk.hear(version);
  }

  const steady = $derived(desk.progress?.steady ?? null);

  function kind(take: Take): 'good' | 'fault' | 'none' {
    return take.fault ? 'fault' : take.current ? 'good' : 'none';
  }
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
          desk.stopSound();
          desk.heardTake = detail.id;
          desk.hear(desk.version);
        }}>Hear this take</button
      >
    {/if}
    <button type="button" class="link" onclick={() => void desk.do('DELETE', `takes/${detail.id}`)}
      >Discard this take</button
    >
  </p>
{/if}
{#each halves as half (half.id)}
  <p class="detail">
    A take of {NAMES[half.purpose]} was cut off after {half.seconds.toFixed(1)} s ({clock(half.started_at)}). What came
    before is whole.
    <button type="button" class="link" onclick={() => void desk.do('POST', `halves/${half.id}/keep`)}>Use it</button>
    <button type="button" class="link" onclick={() => void desk.do('DELETE', `halves/${half.id}`)}>Discard it</button>
  </p>
{/each}

<footer>
  {#if desk.progress}
    {@const left = Math.max(0, desk.progress.seconds - desk.progress.done_s)}
    <Button onclick={() => void desk.stopTake()}>Stop the take</Button>
    <span class="count num" role="timer"
      >{desk.progress.state === 'measuring'
        ? 'measuring'
        : desk.progress.until_steady
          ? `${Math.floor(desk.progress.done_s)} s`
          : `${Math.ceil(left)} s left`}</span
    >
    {#if desk.progress.until_steady}
      <span class="hint"
        >{steady
          ? `level known to ±${steady.active_error_db.toFixed(1)}, peaks to ±${steady.peak_error_db.toFixed(1)} dB; ends at ±0.5`
          : 'talk on: it ends by itself when your level is known'}</span
      >
    {/if}
    <LevelLine level={desk.progress.level_dbfs} peak={desk.progress.peak_dbfs} aim={desk.progress.purpose === 'talk'} />
    <span class="num">{level(desk.progress.level_dbfs)} dBFS</span>
  {:else if purpose}
    {#each purposes.filter((wanted) => wanted !== 'dial') as wanted (wanted)}
      <Button primary={next(wanted)} quiet={!next(wanted)} disabled={desk.busy} onclick={() => take(wanted)}
        >{title(wanted)}</Button
      >
      {#if wanted === 'other-gain'}
        <label>
          at
          <input
            class="gain"
            type="number"
            value={elsewhere}
            onchange={(event) => (otherGain = Number(event.currentTarget.value))}
          /> dB
        </label>
      {/if}
    {/each}
    {#if source === 'file'}
      <input
        bind:this={picker}
        type="file"
        accept=".wav,.flac,.aiff,.aif,.ogg,audio/*"
        onchange={chooseFile}
        class="hidden-text"
        tabindex="-1"
        aria-label="Sound file"
      />
      <label>
        channel
        <select bind:value={desk.channel}>
          <option value={null}>first that carries sound</option>
          {#each [1, 2, 3, 4, 5, 6, 7, 8] as channel (channel)}<option value={channel}>{channel}</option>{/each}
        </select>
      </label>
    {:else if purpose !== 'dial'}
      <kbd>T</kbd>
      {#if purposes.includes('talk')}
        <label>
          <input type="checkbox" bind:checked={desk.untilSteady} />
          until steady
        </label>
      {/if}
    {/if}
    <span class="chips">
      {#each takes as take (take.id)}
        <button
          type="button"
          class="chip"
          aria-pressed={shown === take.id}
          title={take.fault ?? take.stale ?? take.notes.join(' ')}
          onclick={() => (shown = shown === take.id ? null : take.id)}
        >
          <Mark kind={kind(take)} />
          {WORDS[take.purpose]}, {clock(take.taken_at)}{take.half ? ', cut off' : ''}{take.stale ? ', stale' : ''}{take
            .notes.length
            ? ', note'
            : ''}
        </button>
      {/each}
    </span>
  {/if}
  {#if desk.step === 'rig'}<span class="hint">Everything is kept as you enter it.</span>{/if}
  {#if desk.step === 'send' && desk.overview?.delivery}
    <Button primary={live && !proved} disabled={!live || sending} onclick={() => void desk.do('POST', 'marker')}>
      {sending ? 'The marker is on its way…' : 'Send the marker'}
    </Button>
    <kbd>M</kbd>
    <span class="hint">
      {live
        ? count.good
          ? `${count.good} of ${count.all} ${count.all === 1 ? 'listener gets' : 'listeners get'} what is meant.`
          : 'Two seconds of soft hiss through every path: what arrives is told apart.'
        : 'Start live first; then a marker can be sent.'}
    </span>
  {/if}
  <span class="gap"></span>
  {#if (desk.currentTake || desk.hearingLive) && !['listen', 'dial', 'live'].includes(desk.leafName) && !desk.progress && desk.step !== 'rig'}
    {#if desk.hearingLive}
      <span class="hint" role="status"
        >Headphones only: a loudspeaker would howl.{desk.behindMs === null
          ? ''
          : ` ${Math.round(desk.behindMs)} ms behind you.`}</span
      >
    {/if}
    <Button
      quiet
      pressed={desk.matched}
      title="Play raw and treated equally loud (L)"
      onclick={() => desk.setMatched(!desk.matched)}>Match loudness</Button
    >
    {#if source !== 'file'}
      <Button
        quiet
        pressed={desk.hearingLive}
        title="Hear yourself in headphones, raw or treated, while you talk (H)"
        onclick={() => void desk.hearLive()}>{desk.hearingLive ? 'Headphones off' : 'Hear live'}</Button
      >
    {/if}
    <Button pressed={heard('raw')} onclick={() => hear('raw')}>
      {desk.playing === 'raw' ? 'Stop' : 'Hear raw'}
    </Button>
    <Button disabled={!desk.treatable} pressed={heard('treated')} onclick={() => hear('treated')}>
      {desk.playing === 'treated' ? 'Stop' : 'Hear treated'}
    </Button>
    <kbd>F</kbd>
  {/if}
</footer>

<style>
  footer {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    min-height: 54px;
    padding: 9px 0;
    border-top: 1px solid var(--ink);
  }
  .hint {
    flex: 3 1 150px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .gap {
    flex: 1;
  }
  kbd {
    min-width: 20px;
    padding: 0 4px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    font: 500 11px/18px var(--mono);
    text-align: center;
  }
  .count {
    min-width: 76px;
    font-size: 14px;
    font-weight: 700;
  }
  .chips {
    display: flex;
    flex: 0 1 auto;
    gap: 6px;
    min-width: 0;
    overflow-x: auto;
  }
  .chip {
    flex: none;
    display: inline-flex;
    gap: 6px;
    align-items: center;
    min-height: 30px;
    padding: 2px 9px;
    border: 1px solid var(--rule);
    border-radius: 2px;
    background: var(--sheet);
    font-size: 13px;
    white-space: nowrap;
    cursor: pointer;
  }
  .chip[aria-pressed='true'] {
    border-color: var(--ink);
  }
  .gain {
    width: 58px;
    min-height: 30px;
  }
  label {
    display: inline-flex;
    gap: 5px;
    align-items: center;
    color: var(--quiet-ink);
    font-size: 13px;
    white-space: nowrap;
  }
  select {
    min-height: 30px;
  }
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
