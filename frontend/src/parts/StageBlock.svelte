<script lang="ts">
  import { counted, t } from '../lib/words';
  import type { Setting, Stage } from '../lib/api';
  import { proper } from '../lib/format';
  import { playback } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import Mark from './Mark.svelte';
  import { leftOutAs } from './setting';
  import SettingRow from './SettingRow.svelte';

  /** A stage: whether it runs and why, what it can be switched to, and its settings, folded away while it rests. */
  interface Props {
    stage: Stage;
    settings: Setting[];
    warning?: string;
    open?: boolean;
  }
  let { stage, settings, warning, open = true }: Props = $props();
  let unfolded = $state<boolean | null>(null);
  const shown = $derived(unfolded ?? (open && stage.on));
  const left = $derived(playback.without.includes(stage.key));

  const takenHeard = $derived(playback.playing === `taken/${stage.key}`);

  async function hold(on: boolean | null): Promise<void> {
    await desk.do('patch', '/api/stages', { body: { stage: stage.key, on } });
    playback.hearAgain();
  }

  async function addBand(): Promise<void> {
    await desk.do('post', '/api/stages/{key}/bands', {
      params: { path: { key: stage.key } },
      body: { shape: 'peak', frequency_hz: 1000, gain_db: -1, q: 1 },
    });
    playback.hearAgain();
  }
</script>

<section class="stage" aria-label={stage.title}>
  <div class="head">
    <Mark kind={warning ? 'fault' : stage.on ? 'good' : 'none'} />
    <h3>{stage.title}</h3>
    <span class="state">{stage.on ? t('on') : t('off')}</span>
    {#if stage.pinned}<span class="pinned">pinned</span>{/if}
  </div>
  <p>{proper(stage.because)}</p>
  {#if stage.is_new}
    <button type="button" onclick={() => void desk.do('post', '/api/derive')}>Recalculate</button>
  {/if}
  {#if warning}<p class="warning">{warning}</p>{/if}
  <div class="tools">
    {#if stage.switchable && !stage.is_new}
      <button type="button" onclick={() => void hold(!stage.on)}>{stage.on ? t('Switch off') : t('Switch on')}</button>
    {/if}
    {#if stage.pinned}
      <button type="button" onclick={() => void hold(null)}>Automatic: {stage.derived_on ? t('on') : t('off')}</button>
    {/if}
    {#if stage.on && desk.treatable}
      <button type="button" aria-pressed={left} onclick={() => playback.leaveOut(stage.key)}
        >{left ? t('Hear with it') : t('Hear without it')}</button
      >
      {#if stage.step === 'clean'}
        <button type="button" onclick={() => (takenHeard ? playback.stopSound() : playback.hearTaken(stage.key))}
          >{takenHeard ? t('Stop') : t('Hear what it takes')}</button
        >
      {/if}
    {/if}
    {#if stage.further && stage.kind === 'equalizer'}
      <button type="button" onclick={() => void addBand()}>Add a band</button>
    {/if}
    {#if stage.further}
      <button
        type="button"
        onclick={() => void desk.do('delete', '/api/stages/{key}', { params: { path: { key: stage.key } } })}
        >Remove</button
      >
    {/if}
    {#if settings.length}
      <button type="button" class="fold" aria-expanded={shown} onclick={() => (unfolded = !shown)}
        >{shown ? t('Hide settings') : counted(settings.length, '{count} setting', '{count} settings')}</button
      >
    {/if}
  </div>
  {#if shown}
    {#each settings as setting (setting.stage + setting.name)}<SettingRow
        {setting}
        without={setting.band && stage.on ? leftOutAs(setting, settings) : undefined}
      />{/each}
  {/if}
</section>

<style>
  .stage {
    padding: 8px 0 6px;
    border-bottom: 1px solid var(--rule);
  }
  .head {
    display: flex;
    gap: 7px;
    align-items: center;
  }
  h3 {
    flex: 1;
    font-size: 15px;
  }
  .state {
    font-weight: 700;
  }
  .pinned {
    padding: 0 4px;
    border: 1px solid var(--ink);
    font-size: 11px;
    line-height: 15px;
  }
  p {
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.35;
  }
  .warning {
    margin-top: 3px;
    color: var(--ink);
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 4px;
    margin: 5px 0 2px;
  }
  button {
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    cursor: pointer;
  }
  button[aria-pressed='true'] {
    background: var(--voice);
    color: var(--on-voice);
  }
  .fold {
    border-color: transparent;
    text-decoration: underline;
  }
</style>
