<script lang="ts">
  import type { Overview, RigFields } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();

  const rig = $derived(overview.rig);
  const KINDS: RigFields['microphone_kind'][] = ['condenser', 'dynamic', 'ribbon', 'headset', 'usb'];
  const PATTERNS: RigFields['pattern'][] = ['cardioid', 'supercardioid', 'omni', 'figure of eight'];
  const RATES = [44100, 48000, 88200, 96000];
  const SOURCES: { value: RigFields['source']; title: string; text: string }[] = [
    {
      value: 'browser',
      title: 'This microphone',
      text: 'The browser hands it over raw; its own processing is asked off.',
    },
    { value: 'file', title: 'Files', text: 'Takes that you recorded elsewhere: WAV, FLAC, AIFF or Ogg.' },
    {
      value: 'simulated',
      title: 'The simulated boathouse',
      text: 'A talker in a loft with a heater, a pump and rain. For trying everything without a microphone.',
    },
  ];

  function keep(change: Partial<RigFields>): void {
    desk.editRig(change);
  }

  function text(event: Event): string {
    return (event.currentTarget as HTMLInputElement).value.trim();
  }

  function number(event: Event): number | null {
    const value = parseFloat((event.currentTarget as HTMLInputElement).value.replace(',', '.'));
    return Number.isFinite(value) ? value : null;
  }

  function needed(event: Event, name: 'distance_cm' | 'angle_deg'): void {
    const value = number(event);
    if (value !== null) keep({ [name]: value });
    else void desk.refresh();
  }

  const advice = $derived.by(() => {
    if (rig.distance_cm > 40)
      return 'Over two hands away the room gains on the voice. Come to 15 to 25 cm if you can: half the distance is 6 dB more voice over room.';
    if (rig.distance_cm < 8)
      return 'This close, breath and plosives hit the capsule: a pop screen, or speak past it at an angle.';
    return 'A hand’s width or two: a good distance.';
  });
</script>

<Bench
  title="Rig"
  lead="One microphone, one interface, one room, one placement. What is measured later belongs to just this."
>
  {#snippet evidence()}
    <form onsubmit={(event) => event.preventDefault()}>
      <fieldset>
        <legend>Microphone</legend>
        <label class="wide"
          >Name <input value={rig.microphone_name} onchange={(e) => keep({ microphone_name: text(e) })} /></label
        >
        <label>
          Kind
          <select
            value={rig.microphone_kind}
            onchange={(e) => keep({ microphone_kind: e.currentTarget.value as RigFields['microphone_kind'] })}
          >
            {#each KINDS as kind (kind)}<option value={kind}>{kind === 'usb' ? 'USB, own converter' : kind}</option
              >{/each}
          </select>
        </label>
        <label>
          Pattern
          <select
            value={rig.pattern}
            onchange={(e) => keep({ pattern: e.currentTarget.value as RigFields['pattern'] })}
          >
            {#each PATTERNS as pattern (pattern)}<option>{pattern}</option>{/each}
          </select>
        </label>
        <label>
          Sensitivity, mV/Pa
          <input
            inputmode="decimal"
            placeholder="unknown"
            value={rig.sensitivity_mv_pa ?? ''}
            onchange={(e) => keep({ sensitivity_mv_pa: number(e) })}
          />
        </label>
      </fieldset>
      <fieldset>
        <legend>Interface</legend>
        <label class="wide"
          >Name <input value={rig.interface_name} onchange={(e) => keep({ interface_name: text(e) })} /></label
        >
        <label>
          Sample rate
          <select
            value={rig.rate_hz}
            disabled={rig.source === 'simulated'}
            onchange={(e) => keep({ rate_hz: Number(e.currentTarget.value) })}
          >
            {#each RATES as rate (rate)}<option value={rate}>{rate / 1000} kHz</option>{/each}
          </select>
        </label>
        <label>
          Maximum input, dBu
          <input
            inputmode="decimal"
            placeholder="unknown"
            value={rig.max_input_dbu ?? ''}
            onchange={(e) => keep({ max_input_dbu: number(e) })}
          />
        </label>
      </fieldset>
      <fieldset>
        <legend>Room and placement</legend>
        <label class="wide">Room <input value={rig.room_name} onchange={(e) => keep({ room_name: text(e) })} /></label>
        <label>
          Mouth to microphone, cm
          <input inputmode="decimal" value={rig.distance_cm} onchange={(e) => needed(e, 'distance_cm')} />
        </label>
        <label>
          Off its axis, degrees
          <input inputmode="decimal" value={rig.angle_deg} onchange={(e) => needed(e, 'angle_deg')} />
        </label>
        <p class="advice">{advice}</p>
      </fieldset>
    </form>
  {/snippet}
  {#snippet slip()}
    <h3>Where sound comes from</h3>
    <div class="sources" role="radiogroup" aria-label="Where sound comes from">
      {#each SOURCES as source (source.value)}
        <label class="source" class:chosen={rig.source === source.value}>
          <input
            type="radio"
            name="source"
            checked={rig.source === source.value}
            onchange={() => keep({ source: source.value })}
          />
          <span><strong>{source.title}</strong><br />{source.text}</span>
        </label>
      {/each}
    </div>
    {#if rig.microphone_kind === 'condenser'}<p>
        A condenser needs phantom power (48 V) switched on at the interface.
      </p>{/if}
    <p>
      Before you go on, switch off what already processes: enhancements in the sound settings, automatic gain, and noise
      removal in the call program.
    </p>
  {/snippet}
  {#snippet action()}
    <Button primary={overview.steps[0]?.status !== 'settled'} onclick={() => void desk.settle('rig')}>Settle Rig</Button
    >
    <span>then Quiet</span>
  {/snippet}
</Bench>

<style>
  form {
    max-width: 1100px;
  }
  fieldset {
    display: grid;
    grid-template-columns: repeat(5, minmax(104px, 1fr));
    gap: 8px 14px;
    padding: 10px 0 14px;
    border-top: 1px solid var(--rule);
  }
  legend {
    float: left;
    grid-column: 1 / -1;
    font: 700 15px/1.3 var(--heading);
  }
  label {
    display: block;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  label.wide {
    grid-column: 1 / 3;
  }
  input:not([type='radio']),
  select {
    display: block;
    width: 100%;
    min-height: 32px;
    margin-top: 2px;
    padding: 3px 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: var(--sheet);
    color: var(--ink);
    font-size: 14px;
  }
  .advice {
    grid-column: 1 / -1;
    color: var(--quiet-ink);
  }
  h3 {
    margin-top: 8px;
    font-size: 15px;
  }
  .sources {
    margin: 8px 0 14px;
  }
  .source {
    display: flex;
    gap: 10px;
    align-items: baseline;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    cursor: pointer;
  }
  .source strong {
    color: var(--ink);
    font-size: 14px;
  }
  p {
    margin-bottom: 10px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
