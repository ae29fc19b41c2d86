<script lang="ts">
  import { t } from '../lib/words';
  import { olderTakes, sendFile, type Purpose, type Take } from '../lib/api';
  import { askedBefore, shownTakes } from '../lib/older';
  import { place } from '../lib/place.svelte';
  import { playback } from '../lib/playback.svelte';
  import { taking } from '../lib/taking.svelte';
  import { desk } from '../lib/state.svelte';
  import { TAKE_NAMES as NAMES } from '../lib/steps';
  import Button from './Button.svelte';
  import Hint from './Hint.svelte';
  import Key from './Key.svelte';
  import HearButtons from './HearButtons.svelte';
  import MarkerButton from './MarkerButton.svelte';
  import TakeChips from './TakeChips.svelte';
  import TakeDetail from './TakeDetail.svelte';
  import TakeProgress from './TakeProgress.svelte';
  import WorkProgress from './WorkProgress.svelte';
  import { typingNumber } from '../lib/typing.svelte';
  import { small } from '../lib/window';

  /** A small window shows what comes next; the rest is a press away. */
  let unfolded = $state(false);
  const few = $derived(small.current && !unfolded);
  let picker = $state<HTMLInputElement | null>(null);
  let shown = $state<number | null>(null);

  const source = $derived(desk.overview?.rig.source ?? 'browser');
  const purpose = $derived(taking.purpose);
  const purposes = $derived(place.purposes);
  /** Older takes that were asked for, and the purposes that have no more. */
  let fetched = $state.raw<Take[] | null>(null);
  let ended = $state.raw<Purpose[]>([]);
  const known = $derived(desk.overview?.takes ?? []);
  const takes = $derived(shownTakes(known, purposes, fetched));
  const older = $derived((desk.overview?.older_takes ?? []).filter((one) => !ended.includes(one)));
  const hasOlder = $derived(
    fetched === null
      ? shownTakes(known, purposes, []).length > takes.length || older.some((one) => purposes.includes(one))
      : askedBefore(takes, older, purposes).length > 0,
  );
  $effect(() => {
    void place.step;
    void place.leafName;
    void desk.overview?.rig.id;
    fetched = null;
    ended = [];
  });

  async function showOlder(): Promise<void> {
    const before = fetched;
    fetched ??= [];
    // At first what the page has already.
    if (before === null && shownTakes(known, purposes, []).length > 3) return;
    try {
      for (const [wanted, id] of askedBefore(takes, older, purposes)) {
        const found = await olderTakes(wanted, id);
        if (fetched === null) return;
        fetched = [...found, ...fetched];
        if (found.length === 0) ended = [...ended, wanted];
      }
    } catch (error) {
      desk.complain(error);
    }
  }
  const gain = $derived(desk.overview?.controls.find((control) => control.key === 'preamp')?.position ?? null);
  let otherGain = $state<number | null>(null);
  const elsewhere = $derived(otherGain ?? (gain === null ? 0 : gain - 12));
  let filePurpose: Purpose | null = null;
  const step = $derived(desk.overview?.steps.find((entry) => entry.name === place.step));
  const first = $derived(!playback.currentTake || step?.status === 'stale');
  const detail = $derived(takes.find((take) => take.id === shown));

  const offered = $derived(purposes.filter((wanted) => wanted !== 'dial' && (!few || wanted === purpose)));

  function chooseFile(): void {
    const file = picker?.files?.[0];
    const wanted = filePurpose ?? purpose;
    if (!file || !wanted) return;
    if (file.size > 2 * 1024 ** 3) {
      desk.trouble = t('{name} is over 2 GB. Cut out the part that you need, a minute is enough.', { name: file.name });
    } else {
      const more = wanted === 'other-gain' ? { position: elsewhere } : {};
      void desk.attempt(() => sendFile(wanted, file, taking.channel, more));
    }
    if (picker) picker.value = '';
  }

  /** What a phone recorded comes from the phone, whatever the rig is heard through. */
  const asFile = (wanted: Purpose): boolean => source === 'file' || wanted === 'phone';

  function take(wanted: Purpose): void {
    if (asFile(wanted)) {
      filePurpose = wanted;
      picker?.click();
    } else {
      void taking.take(wanted, wanted === 'other-gain' ? { position: elsewhere } : {});
    }
  }

  /** A take that is missing or stale is what comes next. */
  function next(wanted: Purpose): boolean {
    return first && wanted === purpose && wanted !== 'dial';
  }

  function title(wanted: Purpose): string {
    if (asFile(wanted)) return t('Choose a file for {take}', { take: NAMES[wanted] });
    if (wanted === 'sentence' && place.step === 'send') return t('A sentence');
    const asked = (what: string) => (wanted === 'passage' ? t('Read {what}', { what }) : t('Record {what}', { what }));
    if (wanted === 'talk' && taking.untilSteady) return asked(NAMES[wanted]);
    const lasts = `${NAMES[wanted]}, ${desk.overview?.seconds[wanted]} s`;
    // Of several, the usual one is named in full; the others stand beside it.
    if (wanted !== purposes[0] && purposes.includes('talk')) return `${lasts}`;
    return asked(lasts);
  }
</script>

<TakeDetail {detail} />

<footer>
  {#if small.current && desk.working !== null}
    <WorkProgress />
  {:else if desk.progress}
    <TakeProgress progress={desk.progress} />
  {:else if purpose}
    {#each offered as wanted (wanted)}
      <Button primary={next(wanted)} quiet={!next(wanted)} disabled={desk.busy} onclick={() => take(wanted)}
        >{title(wanted)}</Button
      >
      {#if wanted === 'other-gain'}
        <label>
          at
          <input
            class="gain"
            type="number"
            {@attach typingNumber(
              () => elsewhere,
              (entered) => (otherGain = entered),
            )}
          /> dB
        </label>
      {/if}
    {/each}
    {#if offered.some(asFile)}
      <input
        bind:this={picker}
        type="file"
        accept=".wav,.flac,.aiff,.aif,.ogg,.m4a,.3gp,.webm,audio/*"
        onchange={chooseFile}
        class="hidden-text"
        tabindex="-1"
        aria-label="Sound file"
      />
    {/if}
    {#if source === 'file'}
      <label>
        channel
        <select bind:value={taking.channel}>
          <option value={null}>first with sound</option>
          {#each [1, 2, 3, 4, 5, 6, 7, 8] as channel (channel)}<option value={channel}>{channel}</option>{/each}
        </select>
      </label>
    {:else if purpose !== 'dial' && !few}
      <Key does="take" />
      {#if purposes.includes('talk')}
        <label>
          <input type="checkbox" bind:checked={taking.untilSteady} />
          until steady
        </label>
      {/if}
    {/if}
    {#if !few}
      {#if hasOlder && takes.length}
        <button type="button" class="older" onclick={() => void showOlder()}>Older takes</button>
      {/if}
      <TakeChips {takes} bind:shown />
    {/if}
  {/if}
  {#if place.step === 'rig' && !few}<Hint>Every entry is saved at once.</Hint>{/if}
  {#if place.step === 'send' && desk.overview?.delivery}<MarkerButton {few} />{/if}
  <span class="gap"></span>
  {#if (playback.currentTake || playback.hearingLive) && !['listen', 'dial', 'live'].includes(place.leafName) && !desk.progress && (place.step !== 'rig' || playback.currentTake?.purpose === 'sentence')}
    <HearButtons {few} />
  {/if}
  {#if small.current}
    <button type="button" class="more" aria-expanded={unfolded} onclick={() => (unfolded = !unfolded)}
      >{unfolded ? t('Less') : t('More')}</button
    >
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
  .gap {
    flex: 1;
  }
  /* In reach while the page scrolls. */
  @media (max-width: 900px), (max-height: 600px) {
    footer {
      position: sticky;
      bottom: 0;
      z-index: 2;
      gap: 4px 6px;
      min-height: 42px;
      padding: 5px 0;
      background: var(--paper);
    }
    .gap {
      display: none;
    }
  }
  .older {
    flex: none;
    min-height: 30px;
    padding: 2px 4px;
    border: 0;
    background: none;
    color: var(--aim);
    font: inherit;
    font-size: 13px;
    text-decoration: underline;
    cursor: pointer;
  }
  .more {
    min-height: 34px;
    padding: 0 8px;
    border: 0;
    background: none;
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
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
</style>
