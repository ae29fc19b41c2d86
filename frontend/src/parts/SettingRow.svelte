<script lang="ts">
  import { marked, t } from '../lib/words';
  import type { ChangeSetting, Setting } from '../lib/api';
  import { proper } from '../lib/format';
  import { chosen } from '../lib/keys';
  import { place } from '../lib/place.svelte';
  import { playback } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import { describe } from './setting';

  /** A setting with its because: choose it, pin it, nudge it, let the derived value stand again, or hear the voice
   * without what it gives, by the name under which that is left out. */
  interface Props {
    setting: Setting;
    without?: string;
  }
  let { setting, without }: Props = $props();

  const id = $derived(`${setting.stage}/${setting.name}`);
  const active = $derived(place.chosenSetting === id);
  const left = $derived(without !== undefined && playback.without.includes(without));

  function change(more: Partial<ChangeSetting>): void {
    const body = { stage: setting.stage, name: setting.name, pinned: true, ...more };
    void desk.do('patch', '/api/settings', { body });
  }

  const pin = () =>
    change(setting.pinned ? { pinned: false } : { value: setting.value, band: setting.band, pinned: true });
  /** From wherever it stands when its turn comes: quick presses add up. */
  const nudge = (by: 1 | -1) => void desk.nudgeSetting(setting.stage, setting.name, by);

  $effect(() => {
    if (!active) return;
    chosen.pin = pin;
    chosen.nudge = nudge;
    return () => {
      chosen.pin = null;
      chosen.nudge = null;
    };
  });
</script>

<div class="setting" class:active>
  <button class="head" type="button" aria-pressed={active} onclick={() => (place.chosenSetting = active ? null : id)}>
    <span class="name">{setting.title}</span>
    {#if setting.pinned}<span class="pinned">pinned</span>{/if}
    <span class="num">{describe(setting)}</span>
  </button>
  <p>
    {proper(setting.because)}
    {#if setting.sure_db != null}Uncertainty <span class="num small"
        >±{marked((2 * setting.sure_db).toFixed(1))} dB</span
      >.{/if}
    {#if setting.pinned}<span class="derived">Automatic: <span class="num">{describe(setting, true)}</span>.</span>{/if}
    {#if without !== undefined && desk.treatable}
      <button
        class="hear"
        type="button"
        aria-pressed={left}
        aria-label={left
          ? t('Hear with it: {step}', { step: setting.title })
          : t('Hear without it: {step}', { step: setting.title })}
        onclick={() => playback.leaveOut(without)}>{left ? t('Hear with it') : t('Hear without it')}</button
      >
    {/if}
  </p>
  {#if active}
    <div class="tools">
      <button type="button" onclick={() => nudge(-1)} aria-label="Lower {setting.title}">−</button>
      <button type="button" onclick={() => nudge(1)} aria-label="Raise {setting.title}">+</button>
      <button type="button" onclick={pin}>{setting.pinned ? t('Back to automatic') : t('Pin it')}</button>
    </div>
  {/if}
</div>

<style>
  .setting {
    padding: 7px 0 8px 5px;
    margin-left: -8px;
    border-bottom: 1px solid var(--rule);
    border-left: 3px solid transparent;
  }
  .setting.active {
    border-left-color: var(--ink);
  }
  button {
    border: 0;
    background: none;
    padding: 0;
    cursor: pointer;
  }
  .head {
    display: flex;
    gap: 8px;
    align-items: baseline;
    width: 100%;
    text-align: left;
  }
  .name {
    flex: 1;
    font-weight: 600;
  }
  .pinned {
    padding: 0 4px;
    border: 1px solid var(--ink);
    font-size: 11px;
    line-height: 15px;
  }
  .num {
    font-size: 12px;
    font-weight: 700;
  }
  .small,
  .derived .num {
    font-size: 11px;
    font-weight: 500;
  }
  p {
    margin-top: 1px;
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.35;
  }
  .hear {
    min-height: 24px;
    color: var(--ink);
    font-size: 13px;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .hear[aria-pressed='true'] {
    font-weight: 700;
  }
  .tools {
    display: flex;
    gap: 4px;
    margin-top: 6px;
  }
  .tools button {
    min-width: 30px;
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    font-size: 13px;
    font-weight: 600;
  }
</style>
