<script lang="ts">
  import type { Snippet } from 'svelte';
  import { frequencyTick, signed } from '../lib/format';
  import { decibelScale, frequencyScale, steps } from '../lib/scales';
  import type { Numbers } from '../lib/numbers';
  import Picture from './Picture.svelte';

  /** A picture of decibels, up and down from none, over the frequencies of a voice. */
  interface Props {
    label: string;
    /** How far it reaches up and down, dB. */
    reach: number;
    least?: number;
    /** What stands under the axis. */
    under?: string;
    numbers: Numbers;
    children: Snippet<[(hz: number) => number, (db: number) => number, { left: number; right: number; foot: number }]>;
  }
  let { label, reach, least = 190, under, numbers, children: drawn }: Props = $props();
  const M = { left: 52, right: 18, top: 30 };
  const TICKS_HZ = [125, 250, 500, 1000, 2000, 4000, 8000];
  const bottom = $derived(under ? 40 : 26);
  const step = $derived(reach > 12 ? 6 : 3);
</script>

<Picture {label} {least} {numbers}>
  {#snippet children(width, height)}
    {@const x = frequencyScale(95, 13500, M.left, width - M.right)}
    {@const y = decibelScale(-reach, reach, height - bottom, M.top)}
    {#each steps(-reach, reach, step) as tick (tick)}
      <line
        x1={M.left}
        x2={width - M.right}
        y1={y(tick)}
        y2={y(tick)}
        stroke={tick === 0 ? 'var(--ink)' : 'var(--rule)'}
      />
      <text class="num soft" x={M.left - 8} y={y(tick) + 4} text-anchor="end">{signed(tick, 0)}</text>
    {/each}
    {#each TICKS_HZ as hz (hz)}
      <text class="num soft" x={x(hz)} y={height - bottom + 17} text-anchor="middle">{frequencyTick(hz)}</text>
    {/each}
    <text class="soft" x={M.left - 8} y="18" text-anchor="end">dB</text>
    {#if under}<text class="soft" x={width - M.right} y={height - 6} text-anchor="end">{under}</text>{/if}
    {@render drawn(x, y, { left: M.left, right: width - M.right, foot: height - 6 })}
  {/snippet}
</Picture>
