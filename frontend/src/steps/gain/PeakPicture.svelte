<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';
  import type { Quiet, Talk } from '../../lib/api';
  import { level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import Aim from './Aim.svelte';
  import { MARGIN, outlines, picture } from './peaks';

  interface Props {
    talk: Talk;
    loud: Talk | null;
    soft: Talk | null;
    quiet: Quiet | null;
    shiftDb: number;
    aim: number[];
  }
  let { talk, loud, soft, quiet, shiftDb, aim }: Props = $props();
</script>

<Picture
  numbers={columns({
    [t('dBFS from')]: talk.histogram_dbfs.map((_, i) => talk.histogram_from_dbfs + i),
    [t('share of the talk')]: talk.histogram_dbfs,
    [t('peak of each second, dBFS')]: talk.peaks_by_second_dbfs,
  })}
  label="Levels of the talk takes in dBFS. Highest peak {level(talk.peak_dbfs)}, target {level(aim[0], 0)} to {level(
    aim[1],
    0,
  )}."
>
  {#snippet children(width, height)}
    {@const p = picture(talk, quiet, shiftDb, width, height)}
    {@const peak = talk.peak_dbfs === null ? null : p.x(talk.peak_dbfs)}
    {@const others = outlines(
      [
        { name: 'softest', talk: soft },
        { name: 'loudest', talk: loud },
      ],
      width,
      height,
    )}
    <rect
      x={p.x(aim[0] ?? -15)}
      y={MARGIN.top}
      width={p.x(aim[1] ?? -10) - p.x(aim[0] ?? -15)}
      height={p.base - MARGIN.top}
      fill="var(--aim-tint)"
    />
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
    {#each others as other (other.name)}
      <path d={other.path} fill="none" stroke="var(--edge)" stroke-width="2" />
      {#if other.peak !== null}
        <line
          x1={other.peak}
          x2={other.peak}
          y1={MARGIN.top + 2}
          y2={p.base}
          stroke="var(--peak)"
          stroke-dasharray="2 4"
        />
        <text class="soft" x={other.peak - 4} y={MARGIN.top + 13} text-anchor="end">{other.name}</text>
      {/if}
    {/each}
    {#each p.peaks as at, i (i)}
      <line x1={at} x2={at} y1={MARGIN.top + 2} y2={MARGIN.top + 18} stroke="var(--peak)" stroke-width="1.500" />
    {/each}
    {#if peak !== null}
      <line x1={peak} x2={peak} y1={MARGIN.top + 2} y2={p.base} stroke="var(--peak)" stroke-width="2" />
    {/if}
    <Aim x={p.x} base={p.base} {aim} />
    <text x={MARGIN.left} y="18" style="fill: var(--peak); font-weight: 600"
      >{width < 560 ? t('peaks') : t('thin lines: the peak of each second')}</text
    >
    <text x={MARGIN.left} y="34" class="soft"
      >{width < 560 ? t('frames') : t('solid: how often 10 ms frames have each level')}</text
    >
    <text class="soft" x={p.x(0) + 10} y={p.base + 35} text-anchor="end">dBFS</text>
  {/snippet}
</Picture>
