<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Clean } from '../../lib/api';
  import { level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';
  import { drawn, outline, span } from './moves';

  /** The room in use over time: what comes and goes, what remains of it, and what is always there. */
  interface Props {
    moves: NonNullable<Clean['learned']>;
    on: boolean;
  }
  let { moves, on }: Props = $props();
  const M = { left: 52, right: 20, top: 18, bottom: 48 };
  const KINDS: Record<string, string> = {
    keys: t('keys'),
    knock: t('knock'),
    melody: t('melody'),
    voice: t('a voice'),
    passing: t('passes by'),
  };
  /** How wide a name over a moment may be, px. */
  const NAME = 64;
  const seconds = $derived(Math.max(moves.before_dbfs_a.length * moves.step_s, 1));
  const range = $derived(span(moves));
  const rest = $derived(moves.always_dbfs_a ?? range[0]);
  const every = $derived(seconds > 60 ? 20 : seconds > 30 ? 10 : seconds > 12 ? 5 : 2);
</script>

<Picture
  numbers={columns({
    s: moves.before_dbfs_a.map((_, i) => i * moves.step_s),
    [t('before, dBFS(A)')]: moves.before_dbfs_a,
    ...(on ? { [t('after, dBFS(A)')]: moves.after_dbfs_a } : {}),
  })}
  label="{marked(seconds.toFixed(0))} s of your room in use, {moves.moments
    .length} moments in which something moves, over {level(rest, 0)} dBFS(A) of constant noise."
>
  {#snippet children(width, height)}
    {@const bottom = height - M.bottom}
    {@const y = decibelScale(range[0], range[1], bottom, M.top)}
    {@const x = (at: number) => M.left + (at / seconds) * (width - M.left - M.right)}
    {#each steps(range[0], range[1], range[1] - range[0] > 60 ? 20 : 10) as tick (tick)}
      <line x1={M.left} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={M.left - 8} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each Array.from({ length: Math.floor(seconds / every) + 1 }, (_, i) => i * every) as at (at)}
      <text class="num soft" x={x(at)} y={bottom + 17} text-anchor="middle">{at} s</text>
    {/each}
    <rect x={M.left} y={y(rest)} width={width - M.left - M.right} height={bottom - y(rest)} fill="url(#speckle)" />
    {#each drawn(moves, (NAME / (width - M.left - M.right)) * seconds) as moment (moment.start)}
      <polyline
        points={outline(moment, rest)
          .map(([at, dbfs]) => `${x(at)},${y(dbfs)}`)
          .join(' ')}
        fill="none"
        stroke="var(--room)"
        stroke-width="1.5"
      />
      {#if on}
        {@const remains = y(Math.max(moment.remains, range[0] + 1))}
        <line
          x1={x(moment.start)}
          x2={Math.max(x(moment.end), x(moment.start) + 3)}
          y1={remains}
          y2={remains}
          stroke="var(--ink)"
          stroke-width="2.5"
        />
      {/if}
      {#if moment.named}
        <text class="name" x={Math.min(x(moment.start), width - M.right - NAME)} y={y(moment.top) - 6}
          >{KINDS[moment.kind] ?? moment.kind}</text
        >
      {/if}
    {/each}
    <text class="soft" x={M.left} y={height - 8}
      >dBFS(A); line: before{on ? t('; dark bar: what remains') : ''}; speckle: constant noise</text
    >
  {/snippet}
</Picture>

<style>
  .name {
    font-weight: 600;
    fill: var(--ink);
  }
</style>
