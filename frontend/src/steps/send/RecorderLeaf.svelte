<script lang="ts">
  import { counted, t } from '../../lib/words';
  import type { Overview, Recording } from '../../lib/api';
  import { RECORDING } from '../../lib/examples';
  import { clock, level, withUnit } from '../../lib/format';
  import { clockOf, roomText } from '../../lib/send';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Example from '../../parts/Example.svelte';
  import Mark from '../../parts/Mark.svelte';
  import Waveform from '../../parts/Waveform.svelte';
  import { typing, typingNumber } from '../../lib/typing.svelte';

  /** The recorder: tracks, format, splitting; and the files with waveform, loudness and peak. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const recorder = $derived(overview.recorder);
  const live = $derived(overview.run.live);
  let purpose = $state(t('River walk'));
  let renaming = $state<number | null>(null);
  const TRACKS = [
    { name: 'treated', title: t('treated voice') },
    { name: 'raw', title: t('raw voice') },
    { name: 'returns', title: t('returns') },
    { name: 'mix', title: t('the mix') },
  ] as const;
  type Choice = Pick<Overview['recorder'], 'tracks' | 'format' | 'minutes' | 'megabytes'>;

  function choose(change: Partial<Choice>): void {
    const { tracks, format, minutes, megabytes } = { ...recorder, ...change };
    void desk.do('put', '/api/tracks', { body: { tracks, format, minutes, megabytes } });
  }
  function toggle(name: (typeof TRACKS)[number]['name'], on: boolean): void {
    choose({ tracks: on ? [...recorder.tracks, name] : recorder.tracks.filter((other) => other !== name) });
  }
  function play(file: Recording): void {
    const id = `recording/${file.id}`;
    if (playback.playing === id) playback.stopSound();
    else playback.hearRecording(file.id);
  }
</script>

<div class="top">
  <fieldset disabled={recorder.recording}>
    <legend>Tracks</legend>
    {#each TRACKS as track (track.name)}
      <label>
        <input
          type="checkbox"
          checked={recorder.tracks.includes(track.name)}
          onchange={(e) => toggle(track.name, e.currentTarget.checked)}
        />
        {track.title}
      </label>
    {/each}
  </fieldset>
  <fieldset disabled={recorder.recording}>
    <legend>Files</legend>
    <label
      >as <select value={recorder.format} onchange={(e) => choose({ format: e.currentTarget.value as 'flac' | 'wav' })}>
        <option value="flac">FLAC, 24 bit</option><option value="wav">WAV, 24 bit</option>
      </select></label
    >
    <label
      >a new one every <input
        type="number"
        min="1"
        max="720"
        placeholder="never"
        {@attach typingNumber(
          () => recorder.minutes,
          (minutes) => choose({ minutes: minutes || null }),
          () => choose({ minutes: null }),
        )}
      /> min</label
    >
    <label
      >or at <input
        type="number"
        min="1"
        max="4000"
        placeholder="never"
        {@attach typingNumber(
          () => recorder.megabytes,
          (megabytes) => choose({ megabytes: megabytes || null }),
          () => choose({ megabytes: null }),
        )}
      /> MB</label
    >
  </fieldset>
  <div class="act">
    <label>called <input bind:value={purpose} maxlength="60" disabled={recorder.recording} /></label>
    <div class="buttons">
      {#if recorder.recording}
        <Button primary onclick={() => void desk.do('post', '/api/recordings/stop')}>Stop recording</Button>
        <Button onclick={() => void desk.do('post', '/api/recordings/split')}>New file here</Button>
      {:else}
        <Button
          disabled={!live}
          primary={live}
          onclick={() => void desk.do('post', '/api/recordings/start', { body: { purpose } })}>Record</Button
        >
      {/if}
    </div>
    <p class="soft" role="status">
      {#if recorder.recording}
        Recording, file {recorder.part}: <span class="num">{clockOf(desk.live?.recorded_s ?? recorder.seconds)}</span>
      {:else if live}Room for {roomText(recorder.room_min)} of {recorder.files.length === 1
          ? t('this track')
          : t('these tracks')}.
      {:else}Start live first; then it can be recorded.{/if}
      {#if !recorder.recording}
        About <span class="num">{level(recorder.megabytes_an_hour, 0)} MB</span> an hour in
        {counted(recorder.files.length, 'one file', '{count} files')}: {recorder.files.join(', ')}.
      {/if}
    </p>
  </div>
</div>
{#if recorder.early || recorder.failed}
  <p class="warning"><Mark kind="fault" /> {recorder.failed ?? recorder.early}</p>
{/if}
<ul>
  {#each overview.recordings as file (file.id)}
    <li>
      <Waveform waveform={file.waveform} />
      <span class="what">
        {#if renaming === file.id}
          <input
            aria-label="Name of the recording"
            {@attach typing(
              () => file.title,
              (name) => {
                void desk.do('put', '/api/recordings/{id}/name', {
                  params: { path: { id: file.id } },
                  body: { name },
                });
                renaming = null;
              },
            )}
          />
        {:else}<strong>{file.title}</strong>{/if}
        {#if file.fault}<span><Mark kind="fault" /> {file.fault}</span>{/if}
        <span class="soft"
          >{file.track}{file.part > 1 ? t(', file {part}', { part: file.part }) : ''}, {clock(file.at)}</span
        >
      </span>
      <span class="num"
        >{file.open ? t('recording') : clockOf(file.seconds)}{file.open
          ? ''
          : `, ${withUnit(file.loudness_lufs, 'LUFS')}, ${withUnit(file.true_peak_dbtp, 'dBTP')}`}</span
      >
      {#if !file.open}
        <span class="tools">
          <button type="button" class="link" disabled={file.fault !== null} onclick={() => play(file)}
            >{playback.playing === `recording/${file.id}` ? t('Stop') : t('Play')}</button
          >
          <button type="button" class="link" onclick={() => (renaming = renaming === file.id ? null : file.id)}
            >Rename</button
          >
          <a class="link" href="/api/recordings/{file.id}/sound" download>Download</a>
          <button
            type="button"
            class="link"
            onclick={() => void desk.do('delete', '/api/recordings/{id}', { params: { path: { id: file.id } } })}
            >Delete</button
          >
        </span>
      {/if}
    </li>
  {/each}
</ul>
{#if !overview.recordings.length}
  <Example how={live ? t('Record to see your own.') : t('Start live and record to see your own.')}>
    <Waveform waveform={RECORDING.waveform} width={640} height={96} />
    <p>
      <strong>{RECORDING.title}</strong>
      <span class="soft">{t('treated voice')}</span>
      <span class="num"
        >{clockOf(RECORDING.seconds)}, {withUnit(RECORDING.loudness_lufs, 'LUFS')}, {withUnit(
          RECORDING.true_peak_dbtp,
          'dBTP',
        )}</span
      >
    </p>
  </Example>
{/if}

<style>
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 26px;
    align-items: start;
    padding-bottom: 10px;
    border-bottom: 1px solid var(--rule);
  }
  fieldset {
    display: flex;
    flex-direction: column;
    gap: 4px;
    min-width: 0;
    padding: 0;
    margin: 0;
    border: 0;
    font-size: 13px;
  }
  legend {
    padding: 0 0 4px;
    font: 600 14px/1.3 var(--text);
  }
  fieldset label {
    display: flex;
    gap: 7px;
    align-items: center;
  }
  input:not([type='checkbox']),
  select {
    padding: 0 6px;
  }
  input[type='number'] {
    width: 76px;
  }
  .act {
    display: flex;
    flex: 1 1 230px;
    flex-direction: column;
    gap: 6px;
  }
  .buttons {
    display: flex;
    gap: 8px;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .warning {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 8px 0;
    font-weight: 600;
  }
  li {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 14px;
    align-items: center;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .what {
    flex: 1;
    min-width: 150px;
  }
  .what .soft {
    display: block;
  }
  .num {
    font-size: 12px;
  }
  .tools {
    display: flex;
    gap: 10px;
    font-size: 13px;
  }
</style>
