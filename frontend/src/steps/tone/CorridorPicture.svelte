<script lang="ts">
  import Picture from '../../parts/Picture.svelte';
  import type { Tone } from '../../lib/api';
  import { frequencyTick, signed } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { MARGIN, picture, TICKS_HZ } from './corridor';

  interface Props {
    tone: Tone;
  }
  let { tone }: Props = $props();
</script>

<Picture
  label="The voice against its corridor: {tone.left_over_rms_db} dB rms are left over from {tone.low_hz} to {tone.high_hz} Hz"
>
  {#snippet children(width, height)}
    {@const p = picture(tone, width, height)}

    {#each steps(p.low, p.high, 6) as tick (tick)}
      <line x1={MARGIN.left} x2={width - MARGIN.right} y1={p.y(tick)} y2={p.y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={MARGIN.left - 10} y={p.y(tick) + 4} text-anchor="end">{signed(tick, 0)}</text>
    {/each}
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
        style="fill: var(--aim); font-weight: 600">target corridor, ±{tone.corridor_db} dB</text
      >
    </g>
    {#each TICKS_HZ.filter((hz) => hz > 70) as hz (hz)}
      <text class="num soft" x={p.x(hz)} y={p.y(p.low) + 17} text-anchor="middle">{frequencyTick(hz)}</text>
    {/each}
    <text class="soft" x={MARGIN.left} y={p.y(p.low) + 35}
      >Hz, third octaves in twelfth-octave steps; faded where the voice is too weak to say</text
    >
    <text class="soft" x={MARGIN.left - 10} y={MARGIN.top - 12} text-anchor="end">dB</text>
  {/snippet}
</Picture>
