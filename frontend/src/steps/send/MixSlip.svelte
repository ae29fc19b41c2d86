<script lang="ts">
  import { t } from '../../lib/words';
  import type { Destination, Mix } from '../../lib/api';
  import { level, proper, signed, withUnit } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';

  /** The chosen listener's mix: each setting with its because, to pin and nudge; what it gets and what is kept out. */
  interface Props {
    destination: Destination;
  }
  let { destination }: Props = $props();
  const mix = $derived(destination.mix!);

  function pin(name: string, value: (mix: Mix) => number | null, source: string | null = null): void {
    void desk.pinMix(destination.key, name, value, source);
  }
  function under(by: number, source: string): void {
    pin('under_lu', (now) => (now.sends.find((send) => send.source === source)?.under_lu ?? 0) + by, source);
  }
  function route(source: string, on: boolean, tap: 'treated' | 'raw' = 'treated'): void {
    void desk.do('put', '/api/routes', { body: { source, destination: destination.key, tap, on } });
  }
  function sentence(why: string): string {
    return proper(why.charAt(0).toUpperCase() + why.slice(1)) + (why.endsWith('.') ? '' : '.');
  }
  const held = $derived(mix.pins.length > 0 || mix.sends.some((send) => send.pinned));
</script>

<h3>The mix for {destination.name}</h3>
<p class="soft">{mix.because}</p>
<div class="row">
  <span class="name">Loudness {mix.pins.includes('aim_lufs') ? '(pinned)' : ''}</span>
  <span class="num">{level(mix.aim_lufs)} LUFS</span>
  <span class="tools">
    <button type="button" aria-label="Lower the target" onclick={() => pin('aim_lufs', (now) => now.aim_lufs - 1)}
      >−</button
    >
    <button type="button" aria-label="Raise the target" onclick={() => pin('aim_lufs', (now) => now.aim_lufs + 1)}
      >+</button
    >
    {#if mix.pins.includes('aim_lufs')}<button type="button" onclick={() => pin('aim_lufs', () => null)}
        >Automatic</button
      >{/if}
  </span>
  <p>
    Predicted {withUnit(mix.lufs, 'LUFS')}, true peak {withUnit(mix.true_peak_dbtp, 'dBTP')} under a ceiling of {level(
      mix.ceiling_dbtp,
    )} dBTP.
  </p>
</div>
{#if desk.live?.limited}
  <div class="row">
    <span class="name">Limiter, now</span>
    <span class="num">{signed(desk.live.limited[destination.key] ?? 0)} dB</span>
  </div>
{/if}
<div class="row">
  <span class="name">Channels</span>
  <span class="num">{mix.channels === 1 ? t('mono') : t('stereo')}</span>
  <span class="tools">
    <button type="button" onclick={() => pin('channels', (now) => (now.channels === 1 ? 2 : 1))}
      >{mix.channels === 1 ? t('Stereo') : t('Mono')}</button
    >
    {#if mix.pins.includes('channels')}<button type="button" onclick={() => pin('channels', () => null)}
        >Automatic</button
      >{/if}
  </span>
</div>
{#each mix.sends as send (send.source + send.tap)}
  <div class="row">
    <span class="name"
      >{send.tap === 'raw' ? t('{name}, raw', { name: send.name }) : send.name}
      {send.pinned ? t('(pinned)') : ''}</span
    >
    <span class="num">{signed(send.gain_db)} dB</span>
    <span class="tools">
      {#if send.kind !== 'voice' && send.under_lu !== null}
        <button type="button" aria-label="{send.name} softer" onclick={() => under(1, send.source)}>−</button>
        <button type="button" aria-label="{send.name} louder" onclick={() => under(-1, send.source)}>+</button>
      {/if}
      <button type="button" aria-label="Keep out: {send.name}" onclick={() => route(send.source, false, send.tap)}
        >Keep out</button
      >
    </span>
    <p>{proper(send.because)}</p>
  </div>
{/each}
{#each mix.kept_out as kept (kept.source)}
  <div class="row out">
    <span class="name">{kept.name}</span>
    <span class="num">kept out</span>
    <span class="tools">
      <button type="button" aria-label="Send it: {kept.name}" onclick={() => route(kept.source, true)}>Send it</button>
    </span>
    <p>{sentence(kept.why)}</p>
  </div>
{/each}
{#if held}
  <button
    type="button"
    class="usual"
    onclick={() =>
      void desk.do('post', '/api/destinations/{key}/usual', { params: { path: { key: destination.key } } })}
    >Back to the automatic mix</button
  >
{/if}

<style>
  h3 {
    margin-top: 10px;
    font: 600 14px/1.3 var(--text);
  }
  .soft,
  .row p {
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.4;
  }
  .row {
    display: grid;
    grid-template-columns: 1fr auto auto;
    gap: 0 10px;
    align-items: baseline;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .row p {
    grid-column: 1 / -1;
  }
  .name {
    font-weight: 600;
  }
  .out .name,
  .out .num {
    color: var(--quiet-ink);
    font-weight: 500;
  }
  .num {
    font-size: 12px;
    font-weight: 700;
  }
  .tools {
    display: flex;
    gap: 4px;
  }
  button {
    min-width: 24px;
    padding: 0 6px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 12px;
    line-height: 20px;
    cursor: pointer;
  }
  .usual {
    margin: 8px 0;
    line-height: 26px;
  }
</style>
