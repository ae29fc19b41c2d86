<script module lang="ts">
  import type { TakeFrames } from '../../lib/api';

  /** What was drawn last, and of which take: it stays until the new one is there. */
  let last: { take: number; frames: TakeFrames } | null = null;
</script>

<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Delivery, Overview } from '../../lib/api';
  import { takeFrames } from '../../lib/api';
  import { level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Picture from '../../parts/Picture.svelte';
  import { curvePath, hanging } from './spread';

  /** The transfer curve, and a stretch of the take with what each stage takes from it hanging under it. */
  interface Props {
    overview: Overview;
    delivery: Delivery;
  }
  let { overview, delivery }: Props = $props();
  const WINDOW_S = 8;
  /** Stages that take away, and how many decibels their row reaches down. */
  const HANGS = [
    ['gate', 'gate', 36],
    ['compressor', 'compressor', 12],
    ['limiter', 'limiter', 12],
  ] as const;
  const curve = $derived(delivery.steady.compressor);
  const take = $derived(playback.currentTake);
  const revision = $derived(desk.revision);
  let frames = $state.raw<TakeFrames | null>(null);

  $effect(() => {
    const id = take?.id;
    if (id === undefined || !revision) return;
    let gone = false;
    if (last?.take === id) frames = last.frames;
    void takeFrames(id, 'treated').then(
      (found) => {
        if (gone) return;
        frames = found;
        last = { take: id, frames: found };
      },
      () => undefined,
    );
    return () => (gone = true);
  });

  const first = $derived(
    frames ? Math.floor(Math.max(0, (playback.position ?? WINDOW_S / 2) - WINDOW_S / 2) / frames.step_s) : 0,
  );
  const count = $derived(frames ? Math.round(WINDOW_S / frames.step_s) : 0);
  const hangs = $derived(HANGS.filter(([kind]) => frames?.gains_db[kind]));
  const compressor = $derived(overview.stages.find((s) => s.kind === 'compressor'));
</script>

<div class="both">
  <div class="curve">
    {#if curve}
      <Picture
        numbers={columns({ [t('in, dBFS')]: curve.curve_in_dbfs, [t('out, dBFS')]: curve.curve_out_dbfs })}
        least={180}
        label="Transfer curve of the compressor with its make-up gain."
      >
        {#snippet children(width, height)}
          {@const side = Math.min(width - 60, height - 48)}
          {@const x = decibelScale(-60, 0, 44, 44 + side)}
          {@const y = decibelScale(-60, 0, 12 + side, 12)}
          {#each steps(-60, 0, 20) as tick (tick)}
            <line x1={x(-60)} x2={x(0)} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
            <line x1={x(tick)} x2={x(tick)} y1={y(-60)} y2={y(0)} stroke="var(--rule)" />
            <text class="num soft" x={38} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
            <text class="num soft" x={x(tick)} y={y(-60) + 16} text-anchor="middle">{level(tick, 0)}</text>
          {/each}
          <text class="soft" x={x(-60)} y={y(-60) + 32}>in, dBFS; up: out</text>
          <line x1={x(-60)} y1={y(-60)} x2={x(0)} y2={y(0)} stroke="var(--edge)" stroke-dasharray="3 4" />
          <path
            d={curvePath(curve.curve_in_dbfs, curve.curve_out_dbfs, x, y)}
            fill="none"
            stroke="var(--voice)"
            stroke-width={compressor?.on ? 3 : 1.5}
            stroke-dasharray={compressor?.on ? undefined : '2 5'}
          />
        {/snippet}
      </Picture>
    {/if}
  </div>
  <div class="stretch">
    <Picture least={180} label="Eight seconds of treated talk, with the reduction by gate, compressor and limiter.">
      {#snippet children(width, height)}
        {@const left = 104}
        {@const right = width - 34}
        {@const x = (i: number) => left + (i / Math.max(1, count - 1)) * (right - left)}
        {@const tall = (height - 30) * 0.5}
        {@const y = decibelScale(-60, 0, 20 + tall, 20)}
        {@const band = (height - 30 - tall) / Math.max(1, hangs.length)}
        <text class="soft" x={0} y="14">treated, and the reduction by each stage; it moves with the sound</text>
        {#each [-40, -20, 0] as tick (tick)}
          <line x1={left} x2={right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
          <text class="num soft" x={right + 4} y={y(tick) + 4}>{level(tick, 0)}</text>
        {/each}
        {#if !frames}
          <text class="soft" x={width / 2} y={height / 2} text-anchor="middle">Treating your talk…</text>
        {:else}
          {#each frames.level_dbfs.slice(first, first + count) as value, i (i)}
            <line
              x1={x(i)}
              x2={x(i)}
              y1={y(-60)}
              y2={y(value ?? -60)}
              stroke="var(--voice)"
              stroke-width={Math.max(1, ((right - left) / count) * 0.8)}
            />
          {/each}
          {#each hangs as [kind, name, deepest], row (kind)}
            {@const top = 26 + tall + row * band}
            <line x1={left} x2={right} y1={top} y2={top} stroke="var(--edge)" />
            <path
              d={hanging((frames.gains_db[kind] ?? []).slice(first, first + count), x, top, (band - 8) / deepest)}
              fill="url(#hatch)"
              stroke="var(--peak)"
            />
            <text x={left - 8} y={top + 14} text-anchor="end" style="font-weight: 600">{name}</text>
            <text class="soft" x={left - 8} y={top + 30} text-anchor="end">up to {deepest} dB</text>
          {/each}
          {#if playback.position !== null}
            <line
              x1={x(playback.position / frames.step_s - first)}
              x2={x(playback.position / frames.step_s - first)}
              y1="18"
              y2={height - 4}
              stroke="var(--peak)"
              stroke-width="2"
            />
          {/if}
        {/if}
      {/snippet}
    </Picture>
  </div>
</div>

<style>
  .both {
    display: grid;
    grid-template-columns: minmax(220px, 2fr) 3fr;
    gap: 16px;
    height: 100%;
  }
  .curve,
  .stretch {
    min-height: 180px;
    overflow: hidden;
  }
  /* Beside another picture it has half the width and all the height. */
  :global(.second) .both {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: minmax(0, 1fr) minmax(0, 1fr);
  }
  @media (max-width: 640px) {
    .both {
      grid-template-columns: minmax(0, 1fr);
      grid-auto-rows: 250px;
      height: auto;
    }
  }
</style>
