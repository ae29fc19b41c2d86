<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { DiagramPoint } from '../../lib/api';
  import { level } from '../../lib/format';
  import Picture from '../../parts/Picture.svelte';
  import { ROOM_S } from './drift';

  /** A check as it would look if nothing had moved: the room, then the voice, at the levels of the calibration. */
  interface Props {
    kept: DiagramPoint;
    seconds: number;
  }
  let { kept, seconds }: Props = $props();
  const M = { left: 54, right: 20, top: 40, bottom: 52 };
  /** A quiet room, or gain turned down, may lie lower than usual. */
  const low = $derived(Math.min(-100, 20 * Math.floor((kept.floor_dbfs_a ?? 0) / 20)));
  const ticks = $derived(Array.from({ length: 1 - low / 20 }, (_, number) => -20 * number));
</script>

<Picture
  numbers={columns({
    [t('from, s')]: [0, ROOM_S],
    [t('to, s')]: [ROOM_S, seconds],
    [t('room, dBFS(A)')]: [kept.floor_dbfs_a, kept.floor_dbfs_a],
    [t('voice from, dBFS')]: [null, kept.voice_low_dbfs],
    [t('voice to, dBFS')]: [null, kept.voice_high_dbfs],
    [t('peaks, dBFS')]: [null, kept.peak_dbfs],
  })}
  least={240}
  label="A check to come, if nothing drifted: {ROOM_S} s of room at {level(
    kept.floor_dbfs_a,
  )} dBFS(A), then your voice from {level(kept.voice_low_dbfs)} to {level(
    kept.voice_high_dbfs,
  )} dBFS with peaks at {level(kept.peak_dbfs)}."
>
  {#snippet children(width, height)}
    {@const base = height - M.bottom}
    {@const x = (s: number) => M.left + (s / seconds) * (width - M.left - M.right)}
    {@const y = (dbfs: number | null) => M.top + ((dbfs ?? low) / low) * (base - M.top)}
    {#each ticks as tick (tick)}
      <line x1={M.left} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={M.left - 8} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each [0, ROOM_S, seconds] as tick (tick)}
      <text class="num soft" x={x(tick)} y={base + 18} text-anchor="middle">{marked(String(tick))} s</text>
    {/each}
    <rect
      x={x(0)}
      y={y(kept.floor_dbfs_a)}
      width={x(seconds) - x(0)}
      height={base - y(kept.floor_dbfs_a)}
      fill="url(#speckle)"
    />
    <line
      x1={x(0)}
      x2={x(seconds)}
      y1={y(kept.floor_dbfs_a)}
      y2={y(kept.floor_dbfs_a)}
      stroke="var(--room)"
      stroke-width="2"
    />
    <rect
      x={x(ROOM_S)}
      y={y(kept.voice_high_dbfs)}
      width={x(seconds) - x(ROOM_S)}
      height={Math.max(2, y(kept.voice_low_dbfs) - y(kept.voice_high_dbfs))}
      fill="none"
      stroke="var(--voice)"
      stroke-width="2"
      stroke-dasharray="6 4"
    />
    <line
      x1={x(ROOM_S)}
      x2={x(seconds)}
      y1={y(kept.peak_dbfs)}
      y2={y(kept.peak_dbfs)}
      stroke="var(--peak)"
      stroke-width="2"
    />
    <g style="font-weight: 600">
      <text x={M.left} y="18">if nothing drifted, dBFS</text>
      <text x={x(0) + 8} y={y(kept.floor_dbfs_a) - 8} style="fill: var(--room)">the room, do not talk</text>
      <text x={x(ROOM_S) + 8} y={(y(kept.voice_low_dbfs) + y(kept.voice_high_dbfs)) / 2 + 4}
        >your voice, read the passage</text
      >
      <text x={x(ROOM_S) + 8} y={y(kept.peak_dbfs) - 7} style="fill: var(--peak)">its peaks</text>
    </g>
  {/snippet}
</Picture>
