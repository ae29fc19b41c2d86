<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';
  import type { Tone } from '../../lib/api';
  import { frequencyTick, signed } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import { at } from '../../lib/tape';
  import { heardNow, MARGIN, picture, TICKS_HZ } from './corridor';

  interface Props {
    tone: Tone;
  }
  let { tone }: Props = $props();

  let heard = $state.raw<{ hz: number[]; db: (number | null)[] } | null>(null);
  const listening = $derived(!!desk.overview?.watch.on || !!desk.overview?.run.live || !!desk.progress);

  /** What is heard this moment: of the take that plays, else of the microphone. */
  $effect(() => {
    if (playback.position === null && !listening) {
      heard = null;
      return;
    }
    let asked = 0;
    const draw = () => {
      const tape = playback.tape.frames;
      if (playback.position !== null && tape) {
        heard = { hz: tape.bands_hz, db: at(tape.bands_dbfs, tape.step_s, playback.player.position) ?? [] };
      } else if (desk.frames.newest) {
        heard = { hz: desk.frames.newest.bands_hz, db: desk.frames.newest.bands_dbfs };
      }
      asked = requestAnimationFrame(draw);
    };
    asked = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(asked);
  });
</script>

<Picture
  numbers={columns({
    Hz: tone.points_hz,
    [t('what the rig adds, dB')]: tone.rig_db,
    [t('uncertainty, dB')]: tone.uncertainty_db,
    [t('correction, dB')]: tone.correction_db,
    [t('voice against the target, dB')]: tone.deviation_db,
  })}
  label="What the rig adds from {tone.low_hz} to {tone.high_hz} Hz, its uncertainty, and the correction: {marked(
    (tone.residual_rms_db ?? 0).toFixed(1),
  )} dB rms remain"
>
  {#snippet children(width, height)}
    {@const p = picture(tone, width, height)}

    {#each steps(p.low, p.high, 3) as tick (tick)}
      <line
        x1={MARGIN.left}
        x2={width - MARGIN.right}
        y1={p.y(tick)}
        y2={p.y(tick)}
        stroke={tick === 0 ? 'var(--ink)' : 'var(--rule)'}
      />
      <text class="num soft" x={MARGIN.left - 10} y={p.y(tick) + 4} text-anchor="end">{signed(tick, 0)}</text>
    {/each}
    <path d={p.knownAll} fill="var(--aim-tint)" opacity="0.4" />
    <path d={p.known} fill="var(--aim-tint)" />
    <path d={p.voice} fill="none" stroke="var(--room)" stroke-width="1.500" stroke-dasharray="4 4" />
    <path d={p.rig} fill="none" stroke="var(--aim)" stroke-width="2.500" stroke-linejoin="round" />
    <path d={p.correctionAll} fill="none" stroke="var(--voice)" stroke-width="1.250" opacity="0.4" />
    <path d={p.correction} fill="none" stroke="var(--voice)" stroke-width="3" stroke-linejoin="round" />
    <g style="paint-order: stroke; stroke: var(--sheet); stroke-width: 4px">
      <text
        x={width - MARGIN.right - 6}
        y={MARGIN.top + 12}
        text-anchor="end"
        style="fill: var(--room); font-weight: 600">dashed: your voice against {tone.target_name}</text
      >
      <text x={p.labels.rig.x} y={p.labels.rig.y} text-anchor="middle" style="fill: var(--aim); font-weight: 600"
        >what the rig adds, and its uncertainty</text
      >
      <text x={p.labels.correction.x} y={p.labels.correction.y} text-anchor="middle" style="font-weight: 700"
        >the correction</text
      >
    </g>
    {#if heard}
      {#each heardNow(tone, heard.hz, heard.db) ?? [] as band (band.hz)}
        {#if Math.abs(band.db) < p.high && band.hz > 90 && band.hz < 16500}
          <line
            x1={p.x(band.hz / 1.1)}
            x2={p.x(band.hz * 1.1)}
            y1={p.y(band.db)}
            y2={p.y(band.db)}
            stroke="var(--peak)"
            stroke-width="3"
          />
        {/if}
      {/each}
    {/if}
    {#each TICKS_HZ.filter((hz) => hz > 70) as hz (hz)}
      <text class="num soft" x={p.x(hz)} y={p.y(p.low) + 17} text-anchor="middle">{frequencyTick(hz)}</text>
    {/each}
    <text class="soft" x={MARGIN.left} y={p.y(p.low) + 35}
      >Hz, third octaves in twelfth-octave steps; faded where the voice is too weak to measure</text
    >
    <text class="soft" x={MARGIN.left - 10} y={MARGIN.top - 12} text-anchor="end">dB</text>
  {/snippet}
</Picture>
