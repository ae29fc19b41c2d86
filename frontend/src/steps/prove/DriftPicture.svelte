<script lang="ts">
  import type { Checked } from '../../lib/api';
  import { frequencyTick, signed } from '../../lib/format';
  import { decibelScale, frequencyScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';
  import { band, curve, reach } from './drift';

  /** The voice now against then, within what it may differ by anyway, and what the causes do. */
  interface Props {
    checked: Checked;
  }
  let { checked }: Props = $props();
  const M = { left: 52, right: 18, top: 30, bottom: 40 };
  const TICKS_HZ = [125, 250, 500, 1000, 2000, 4000, 8000];
  const top = $derived(reach(checked.bands));
  const step = $derived(top > 12 ? 6 : 3);
</script>

<Picture
  label="Voice and room now against then, in third octaves: {checked.causes.map((cause) => cause.sentence).join(' ') ||
    'nothing drifted'}"
>
  {#snippet children(width, height)}
    {@const x = frequencyScale(95, 13500, M.left, width - M.right)}
    {@const y = decibelScale(-top, top, height - M.bottom, M.top)}
    {#each steps(-top, top, step) as tick (tick)}
      <line
        x1={M.left}
        x2={width - M.right}
        y1={y(tick)}
        y2={y(tick)}
        stroke={tick === 0 ? 'var(--ink)' : 'var(--rule)'}
      />
      <text class="num soft" x={M.left - 8} y={y(tick) + 4} text-anchor="end">{signed(tick, 0)}</text>
    {/each}
    <path d={band(checked.bands, x, y)} fill="var(--aim-tint)" />
    <path
      d={curve(checked.bands, 'room_db', x, y)}
      fill="none"
      stroke="var(--room)"
      stroke-width="2"
      stroke-dasharray="1 5"
      stroke-linecap="round"
    />
    <path
      d={curve(checked.bands, 'change_db', x, y)}
      fill="none"
      stroke="var(--voice)"
      stroke-width="3"
      stroke-linejoin="round"
    />
    <path
      d={curve(checked.bands, 'explained_db', x, y)}
      fill="none"
      stroke="var(--peak)"
      stroke-width="1.75"
      stroke-dasharray="6 4"
    />
    {#each TICKS_HZ as hz (hz)}
      <text class="num soft" x={x(hz)} y={height - M.bottom + 17} text-anchor="middle">{frequencyTick(hz)}</text>
    {/each}
    <text class="soft" x={width - M.right} y={height - 6} text-anchor="end">Hz, third octaves</text>
    <text class="soft" x={M.left - 8} y="18" text-anchor="end">dB</text>
    <g style="font-weight: 600">
      <text x={M.left} y="18">solid: your voice now, against then</text>
      <text x={M.left + 230} y="18" style="fill: var(--room)">dots: the room</text>
      {#if checked.drifted}<text x={M.left + 340} y="18" style="fill: var(--peak)">dashed: what the causes do</text
        >{/if}
      <text x={M.left} y={height - 6} style="fill: var(--aim)">shaded: what two readings differ by</text>
    </g>
  {/snippet}
</Picture>
