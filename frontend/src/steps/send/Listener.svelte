<script lang="ts">
  import type { Delivery, Destination, InputChoice, Overview } from '../../lib/api';
  import { clock, level, signed, withUnit } from '../../lib/format';
  import { decibelScale } from '../../lib/scales';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Mark from '../../parts/Mark.svelte';

  /** One listener: what it picked, what arrives on the loudness scale against its aim, what is kept out, and the checks. */
  interface Props {
    destination: Destination;
    inputs: InputChoice[];
    delivery: Delivery;
    recording: boolean;
    recordings: Overview['recordings'];
    live: boolean;
    /** The rate that the rig is said to have. */
    rateHz: number;
  }
  let { destination, inputs, delivery, recording, recordings, live, rateHz }: Props = $props();
  let width = $state(380);

  const picked = $derived(inputs.find((input) => input.name === destination.picks));
  const x = $derived(decibelScale(-60, 0, 92, Math.max(200, width - 54)));
  const rows = $derived([
    { name: 'treated voice', lufs: picked?.kind === 'treated' ? destination.voice_lufs : null, solid: true },
    { name: 'raw voice', lufs: picked?.kind === 'raw' ? destination.voice_lufs : null, solid: false },
  ]);
  const inAim = $derived(
    destination.voice_lufs !== null && Math.abs(destination.voice_lufs - delivery.aim_lufs) <= delivery.tolerance_lu,
  );
  const oneRate = $derived(destination.rate_hz === rateHz);
  const rateText = $derived.by(() => {
    if (!live) return 'Whether it is one rate all the way shows once it is live';
    const file = destination.kind === 'recorder' ? ', FLAC, 24 bit' : '';
    const here = `${destination.rate_hz / 1000} kHz`;
    return oneRate
      ? `${here} all the way, mono${file}`
      : `Runs at ${here}, Rig says ${rateHz / 1000} kHz: agree on one rate${file}`;
  });
  const proof = $derived(destination.proof);
</script>

<section>
  <h3>{destination.name}</h3>
  <label>
    picks
    <select
      value={destination.picks}
      onchange={(e) =>
        void desk.do('PUT', 'destinations', { destination: destination.name, picks: e.currentTarget.value })}
    >
      {#each inputs as input (input.name)}<option value={input.name}>{input.name}</option>{/each}
    </select>
  </label>
  <p class="what">{picked ? picked.title : 'nothing'}</p>

  <div bind:clientWidth={width}>
    <svg
      {width}
      height="92"
      role="img"
      aria-label="{destination.name} gets the {picked?.kind ?? ''} voice at {withUnit(destination.voice_lufs, 'LUFS')}"
    >
      <rect
        x={x(delivery.aim_lufs - delivery.tolerance_lu)}
        y="0"
        width={x(delivery.aim_lufs + delivery.tolerance_lu) - x(delivery.aim_lufs - delivery.tolerance_lu)}
        height="66"
        fill="var(--aim-tint)"
      />
      <path
        d="M{x(delivery.aim_lufs - delivery.tolerance_lu)} 0v66M{x(delivery.aim_lufs + delivery.tolerance_lu)} 0v66"
        stroke="var(--aim)"
        stroke-width="1.500"
      />
      {#each rows as row, i (row.name)}
        <text x="0" y={20 + i * 30} class:soft={row.lufs === null}>{row.name}</text>
        {#if row.lufs !== null}
          <rect
            x={x(-60)}
            y={9 + i * 30}
            width={Math.max(1, x(row.lufs) - x(-60))}
            height="14"
            fill={row.solid ? 'var(--voice)' : 'none'}
            stroke="var(--voice)"
            stroke-width="1.500"
          />
          <text
            class="num"
            x={Math.max(x(row.lufs), x(delivery.aim_lufs + delivery.tolerance_lu)) + 8}
            y={20 + i * 30}
            style="font-weight: 700">{level(row.lufs)}</text
          >
        {:else}
          <line x1={x(-60)} x2={x(-24)} y1={16 + i * 30} y2={16 + i * 30} stroke="var(--edge)" stroke-dasharray="1 5" />
          <text class="soft" x={width - 4} y={20 + i * 30} text-anchor="end">kept out</text>
        {/if}
      {/each}
      <text class="num soft" x={x(-60)} y="84">−60</text>
      <text class="num soft" x={x(-30)} y="84" text-anchor="middle">−30</text>
      <text class="num soft" x={x(0)} y="84" text-anchor="middle">0 LUFS</text>
    </svg>
  </div>

  <ul>
    {#if destination.kind === 'call'}
      {#if proof}
        <li>
          <Mark kind={proof.stale ? 'none' : proof.good ? 'good' : 'fault'} />
          <span>
            <strong>{proof.sentence}</strong>{proof.stale ? ' (another input is picked since: send it again)' : ''}
            <span class="soft"
              >{proof.level_db === null ? '' : `${signed(proof.level_db)} dB through the path,`} heard at {withUnit(
                proof.loudness_lufs,
                'LUFS',
              )}, {clock(proof.at)}</span
            >
            {#if proof.advice && !proof.stale}<span class="advice">{proof.advice}</span>{/if}
          </span>
        </li>
      {:else}
        <li><Mark kind="none" /><span>No marker was sent yet: nobody knows what arrives.</span></li>
      {/if}
    {/if}
    <li>
      <Mark kind={inAim ? 'good' : 'fault'} />
      <span
        >{inAim
          ? 'Loudness within its aim'
          : `Loudness ${withUnit(destination.voice_lufs, 'LUFS')}, aim ${level(delivery.aim_lufs, 0)}`}</span
      >
    </li>
    <li>
      <Mark kind={!live ? 'none' : oneRate ? 'good' : 'fault'} />
      <span>{rateText}</span>
    </li>
  </ul>

  {#if destination.kind === 'call'}
    <Button
      disabled={!live}
      pressed={desk.playing === 'call'}
      onclick={() => (desk.playing === 'call' ? desk.stopSound() : desk.hearCall())}
    >
      {desk.playing === 'call' ? 'Stop' : 'Hear what the call hears'}
    </Button>
  {:else}
    <Button
      disabled={!live}
      pressed={recording}
      onclick={() => void desk.do('POST', recording ? 'recordings/stop' : 'recordings/start')}
    >
      {recording ? 'Stop recording' : 'Record'}
    </Button>
    <ul class="files">
      {#each recordings.slice(0, 4) as file (file.id)}
        <li>
          <a href="/api/recordings/{file.id}/sound" download={file.file_name}>{file.file_name}</a>
          <span class="num"
            >{file.seconds.toFixed(0)} s, {withUnit(file.loudness_lufs, 'LUFS')}, {withUnit(
              file.true_peak_dbtp,
              'dBTP',
            )}</span
          >
        </li>
      {/each}
    </ul>
  {/if}
</section>

<style>
  section {
    min-width: 0;
    padding: 4px 20px 8px 0;
  }
  section + :global(section) {
    padding-left: 20px;
    border-left: 1px solid var(--rule);
  }
  h3 {
    font-size: 16px;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    margin-top: 4px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select {
    flex: 1;
    min-width: 0;
    min-height: 30px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: var(--sheet);
    color: var(--ink);
  }
  .what {
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  svg {
    display: block;
  }
  ul {
    margin: 8px 0 10px;
  }
  li {
    display: flex;
    gap: 9px;
    padding: 3px 0;
  }
  li :global(svg) {
    margin-top: 4px;
  }
  .soft {
    color: var(--quiet-ink);
    fill: var(--quiet-ink);
  }
  li .soft,
  .advice {
    display: block;
    font-size: 13px;
  }
  .advice {
    font-weight: 600;
  }
  .files li {
    justify-content: space-between;
    font-size: 13px;
  }
  a {
    overflow: hidden;
    color: var(--ink);
    text-overflow: ellipsis;
    white-space: nowrap;
  }
</style>
