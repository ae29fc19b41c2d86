<script lang="ts">
  import Picture from '../../parts/Picture.svelte';
  import type { Quiet, Talk } from '../../lib/api';
  import { level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { MARGIN, picture } from './peaks';

  interface Props {
    talk: Talk;
    quiet: Quiet | null;
    shiftDb: number;
  }
  let { talk, quiet, shiftDb }: Props = $props();
</script>

<Picture label="Levels of the talk take in dBFS. Highest peak {level(talk.peak_dbfs)}, aim −15 to −10.">
  {#snippet children(width, height)}
    {@const p = picture(talk, quiet, shiftDb, width, height)}
    {@const peak = talk.peak_dbfs === null ? null : p.x(talk.peak_dbfs)}

    <rect x={p.x(-15)} y={MARGIN.top} width={p.x(-10) - p.x(-15)} height={p.base - MARGIN.top} fill="var(--aim-tint)" />
    <rect x={p.x(0)} y={MARGIN.top} width="10" height={p.base - MARGIN.top} fill="url(#hatch)" />
    {#each steps(-90, 0, 10) as tick (tick)}
      <line x1={p.x(tick)} x2={p.x(tick)} y1={MARGIN.top} y2={p.base} stroke="var(--rule)" />
      <text class="num soft" x={p.x(tick)} y={p.base + 17} text-anchor="middle">{level(tick, 0)}</text>
    {/each}
    {#if p.room}
      <rect
        x={p.room.left}
        y={p.base - 62}
        width={Math.max(4, p.room.right - p.room.left)}
        height="62"
        fill="url(#speckle)"
        stroke="var(--room)"
      />
      <text x={p.room.left - 8} y={p.base - 44} text-anchor="end" style="fill: var(--room); font-weight: 600"
        >room{shiftDb ? ', predicted' : ''}</text
      >
    {/if}
    <path d={p.frames} fill="var(--voice)" />
    {#each p.peaks as at, i (i)}
      <line x1={at} x2={at} y1={MARGIN.top + 2} y2={MARGIN.top + 18} stroke="var(--peak)" stroke-width="1.500" />
    {/each}
    {#if peak !== null}
      <line x1={peak} x2={peak} y1={MARGIN.top + 2} y2={p.base} stroke="var(--peak)" stroke-width="2" />
    {/if}
    <path
      d="M{p.x(-15) + 6} {MARGIN.top - 4}h-6v{p.base - MARGIN.top + 4}"
      fill="none"
      stroke="var(--aim)"
      stroke-width="2.500"
    />
    <path
      d="M{p.x(-10) - 6} {MARGIN.top - 4}h6v{p.base - MARGIN.top + 4}"
      fill="none"
      stroke="var(--aim)"
      stroke-width="2.500"
    />
    <text x={p.x(-10)} y="18" text-anchor="end" style="fill: var(--aim); font-weight: 600"
      >aim for the highest peak</text
    >
    <text x={p.x(-10)} y="34" text-anchor="end" style="fill: var(--aim)">−15 to −10</text>
    <text x={MARGIN.left} y="18" style="fill: var(--peak); font-weight: 600">thin lines: the peak of each second</text>
    <text x={MARGIN.left} y="34" class="soft">solid: how often 10 ms frames lie at each level</text>
    <text class="soft" x={p.x(0) + 10} y={p.base + 35} text-anchor="end">dBFS</text>
  {/snippet}
</Picture>
