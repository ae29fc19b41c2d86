<script lang="ts">
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
  label="The voice against its target range: a remaining error of {tone.residual_rms_db} dB rms from {tone.low_hz} to {tone.high_hz} Hz"
>
  {#snippet children(width, height)}
    {@const p = picture(tone, width, height)}

    {#each steps(p.low, p.high, 6) as tick (tick)}
      <line x1={MARGIN.left} x2={width - MARGIN.right} y1={p.y(tick)} y2={p.y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={MARGIN.left - 10} y={p.y(tick) + 4} text-anchor="end">{signed(tick, 0)}</text>
    {/each}
    <path d={p.sureness} fill="url(#speckle)" opacity="0.55" />
    <path d={p.corridor} fill="var(--aim-tint)" opacity="0.5" />
    <path d={p.corridorSure} fill="var(--aim-tint)" stroke="var(--aim)" stroke-width="1.250" />
    <g opacity="0.4" fill="none">
      <path d={p.recordedAll} stroke="var(--room)" stroke-dasharray="5 4" stroke-width="1.250" />
      <path d={p.correctedAll} stroke="var(--voice)" stroke-width="1.250" />
    </g>
    {#each p.stitches as stitch (stitch.x)}
      {@const down = stitch.to > stitch.from}
      {@const long = Math.abs(stitch.to - stitch.from) > 7}
      <line
        x1={stitch.x}
        x2={stitch.x}
        y1={stitch.from}
        y2={long ? stitch.to + (down ? -4 : 4) : stitch.to}
        stroke="var(--room)"
        stroke-width="3.500"
      />
      {#if long}<path
          d="M{stitch.x - 5} {stitch.to + (down ? -6 : 6)}h10l-5 {down ? 6 : -6}z"
          fill="var(--room)"
        />{/if}
    {/each}
    <path d={p.recorded} fill="none" stroke="var(--room)" stroke-width="1.750" stroke-dasharray="5 4" />
    <path d={p.corrected} fill="none" stroke="var(--voice)" stroke-width="3" stroke-linejoin="round" />
    <g style="paint-order: stroke; stroke: var(--sheet); stroke-width: 4px">
      <text
        x={p.labels.recorded.x}
        y={p.labels.recorded.y}
        text-anchor="middle"
        style="fill: var(--room); font-weight: 600">as recorded</text
      >
      <text x={p.labels.corrected.x} y={p.labels.corrected.y} text-anchor="middle" style="font-weight: 700"
        >corrected</text
      >
      <text
        x={width - MARGIN.right - 6}
        y={MARGIN.top + 12}
        text-anchor="end"
        style="fill: var(--aim); font-weight: 600">target range, ±{tone.corridor_db} dB</text
      >
    </g>
    {#if heard}
      {#each heardNow(tone, heard.hz, heard.db, p.middle) ?? [] as band (band.hz)}
        {#if band.db > p.low && band.hz > 90 && band.hz < 16500}
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
      >Hz, third octaves in twelfth-octave steps; faded where the voice is too weak to say</text
    >
    <text class="soft" x={MARGIN.left - 10} y={MARGIN.top - 12} text-anchor="end">dB</text>
  {/snippet}
</Picture>
