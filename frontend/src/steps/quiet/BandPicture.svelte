<script lang="ts">
  import Picture from '../../parts/Picture.svelte';
  import type { Quiet } from '../../lib/api';
  import { frequencyTick, level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { MARGIN, picture } from './bands';

  interface Props {
    quiet: Quiet;
  }
  let { quiet }: Props = $props();
</script>

<Picture
  label="Third-octave levels of the room in dBFS{quiet.hum ? `, with a hum family at ${quiet.hum.mains_hz} Hz` : ''}"
>
  {#snippet children(width, height)}
    {@const p = picture(quiet, width, height)}

    {#each steps(p.low, p.high, 10) as tick (tick)}
      <line x1={MARGIN.left} x2={width - MARGIN.right} y1={p.y(tick)} y2={p.y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={MARGIN.left - 10} y={p.y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each p.bars as bar (bar.label)}
      <rect
        x={bar.x}
        y={bar.top}
        width={bar.width}
        height={Math.max(0, bar.bottom - bar.top)}
        fill="url(#speckle)"
        stroke="var(--room)"
        stroke-width="1.250"
      />
    {/each}
    {#each p.hum as line (line.hz)}
      <path d="M{line.x - 4.5} {MARGIN.top - 16}h9l-4.500 8z" fill="var(--ink)" />
      <line x1={line.x} x2={line.x} y1={MARGIN.top - 8} y2={line.y} stroke="var(--ink)" stroke-dasharray="1 3" />
      <circle cx={line.x} cy={line.y} r="3" fill="var(--ink)" />
    {/each}
    {#if p.hum.length}
      <text x={(p.hum.at(-1)?.x ?? 0) + 10} y={MARGIN.top - 8}>mains family, {quiet.hum?.mains_hz.toFixed(2)} Hz</text>
    {/if}
    {#each p.tones as tone (tone.hz)}
      <path d="M{tone.x} {tone.y - 5}l5 5-5 5-5-5z" fill="none" stroke="var(--ink)" stroke-width="1.500" />
      <text x={tone.x + 8} y={tone.y - 4}>tone</text>
    {/each}
    {#each p.ticks as tick (tick.hz)}
      <text class="num soft" x={tick.x} y={p.y(p.low) + 17} text-anchor="middle">{frequencyTick(tick.hz)}</text>
    {/each}
    <text class="soft" x={MARGIN.left} y={p.y(p.low) + 35}>third octave, Hz</text>
    <text class="soft" x={MARGIN.left - 10} y="14" text-anchor="end">dBFS</text>
  {/snippet}
</Picture>
