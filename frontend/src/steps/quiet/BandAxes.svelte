<script lang="ts">
  import { frequencyTick, level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { MARGIN, TICKS_HZ } from './bands';

  /** The scales of a third-octave picture. */
  interface Props {
    x: (hz: number) => number;
    y: (db: number) => number;
    low: number;
    high: number;
    width: number;
  }
  let { x, y, low, high, width }: Props = $props();
</script>

{#each steps(low, high, 10) as tick (tick)}
  <line x1={MARGIN.left} x2={width - MARGIN.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
  <text class="num soft" x={MARGIN.left - 10} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
{/each}
{#each TICKS_HZ as hz (hz)}
  <text class="num soft" x={x(hz)} y={y(low) + 17} text-anchor="middle">{frequencyTick(hz)}</text>
{/each}
<text class="soft" x={MARGIN.left} y={y(low) + 35}>third octave, Hz</text>
<text class="soft" x={MARGIN.left - 10} y="14" text-anchor="end">dBFS</text>
