<script lang="ts">
  import { rate as rateSaid } from '../../lib/format';
  import { t } from '../../lib/words';
  import type { Destination, InputChoice, ProgramSettings } from '../../lib/api';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import { typingNumber } from '../../lib/typing.svelte';

  /** The small page of a stand-in program: everything that people set wrong in such programs can be set wrong here. */
  interface Props {
    destinations: Destination[];
    inputs: InputChoice[];
  }
  let { destinations, inputs }: Props = $props();
  const there = $derived(destinations.filter((entry) => entry.on && entry.program));
  const shown = $derived(there.find((entry) => entry.key === place.listener) ?? there[0]);
  const settings = $derived(shown?.program);

  const SWITCHES: { name: keyof ProgramSettings; title: string }[] = [
    { name: 'muted', title: t('Microphone muted') },
    { name: 'noise_removal', title: t('Noise removal') },
    { name: 'auto_gain', title: t('Auto gain') },
    { name: 'echo_cancelling', title: t('Echo cancelling') },
    { name: 'narrow_band', title: t('Narrow band, few bits') },
    { name: 'hears_itself', title: t('Lets you hear yourself') },
    { name: 'speaks', title: t('Somebody talks at the far end') },
    { name: 'upside_down', title: t('Turns the wave upside down') },
  ];
  const RATES = [16000, 24000, 44100, 48000, 96000];
  const NUMBERS: {
    name: 'latency_ms' | 'jitter_ms' | 'drift_ppm';
    title: string;
    unit: string;
    low: number;
    high: number;
  }[] = [
    { name: 'latency_ms', title: t('Buffer'), unit: 'ms', low: 0, high: 500 },
    { name: 'jitter_ms', title: t('Jitter of its return'), unit: 'ms', low: 0, high: 200 },
    { name: 'drift_ppm', title: t('Its clock is off by'), unit: 'ppm', low: -1000, high: 1000 },
  ];

  function set(change: Partial<ProgramSettings>): void {
    if (shown)
      void desk.do('patch', '/api/destinations/{key}/program', { params: { path: { key: shown.key } }, body: change });
  }
</script>

<div role="group" aria-label="Programs" class="programs">
  {#each there as entry (entry.key)}
    <button type="button" aria-pressed={entry.key === shown?.key} onclick={() => (place.listener = entry.key)}
      >{entry.name}</button
    >
  {/each}
</div>
{#if shown && settings}
  <section aria-label="Settings of {shown.name}">
    <h3>{shown.name}, as it is set</h3>
    <p class="soft">A stand-in: it really does to your voice what you set here. Problems show under its picture.</p>
    <div class="grid">
      <label class="field">
        Rate
        <select value={settings.rate_hz} onchange={(e) => set({ rate_hz: Number(e.currentTarget.value) })}>
          {#each RATES as rate (rate)}<option value={rate}>{rateSaid(rate)}</option>{/each}
        </select>
      </label>
      {#if shown.feed}
        <label class="field">
          Treats the sound as
          <select
            value={settings.takes_hz ?? 0}
            onchange={(e) => set({ takes_hz: Number(e.currentTarget.value) || null })}
          >
            <option value={0}>its own rate</option>
            {#each RATES as rate (rate)}<option value={rate}>{rateSaid(rate)}</option>{/each}
          </select>
        </label>
        <label class="field">
          Listens to as well
          <select value={settings.also ?? ''} onchange={(e) => set({ also: e.currentTarget.value || null })}>
            <option value="">nothing else</option>
            {#each inputs as input (input.name)}<option value={input.name}>{input.name}</option>{/each}
          </select>
        </label>
        <label class="field">
          Activation threshold
          <span>
            <input
              type="number"
              min="-90"
              max="0"
              step="1"
              placeholder="always open"
              {@attach typingNumber(
                () => settings.activation_dbfs,
                (activation_dbfs) => set({ activation_dbfs }),
                () => set({ activation_dbfs: null }),
              )}
            /> dBFS
          </span>
        </label>
      {/if}
      {#each NUMBERS as number (number.name)}
        <label class="field">
          {number.title}
          <span>
            <input
              type="number"
              min={number.low}
              max={number.high}
              {@attach typingNumber(
                () => settings[number.name],
                (entered) => set({ [number.name]: entered }),
              )}
            />
            {number.unit}
          </span>
        </label>
      {/each}
    </div>
    <div class="switches">
      {#each SWITCHES.filter((entry) => shown.settable.includes(entry.name)) as entry (entry.name)}
        <label>
          <input
            type="checkbox"
            checked={settings[entry.name] === true}
            onchange={(e) => set({ [entry.name]: e.currentTarget.checked })}
          />
          {entry.title}
        </label>
      {/each}
    </div>
  </section>
{/if}

<style>
  .programs {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-bottom: 12px;
  }
  .programs button {
    min-height: 30px;
    padding: 0 12px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    cursor: pointer;
  }
  .programs button[aria-pressed='true'] {
    border-color: var(--ink);
    box-shadow: inset 0 -3px 0 var(--aim);
    font-weight: 600;
  }
  section {
    max-width: 720px;
    padding: 14px 18px 18px;
    border: 1px solid var(--edge);
    border-radius: 8px;
    background: var(--paper);
  }
  h3 {
    font-size: 15px;
  }
  .soft {
    margin: 2px 0 12px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
    gap: 10px 18px;
  }
  .field {
    display: flex;
    flex-direction: column;
    gap: 3px;
    font-size: 13px;
  }
  .field span {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  select,
  input[type='number'] {
    width: 100%;
    min-height: 30px;
    padding: 0 6px;
  }
  .switches {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
    gap: 8px 18px;
    margin-top: 14px;
  }
  .switches label {
    display: flex;
    gap: 8px;
    align-items: center;
  }
</style>
