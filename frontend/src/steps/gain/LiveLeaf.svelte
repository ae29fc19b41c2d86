<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { onMount } from 'svelte';
  import type { Overview } from '../../lib/api';
  import { level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import { onAir } from '../../lib/on-air.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Picture from '../../parts/Picture.svelte';
  import Aim from './Aim.svelte';
  import { hill, LOW, MARGIN } from './peaks';

  /** The distribution of the last ten seconds against the aim, with the held peak and what clipped. */
  let { overview }: { overview: Overview } = $props();
  const on = $derived(overview.watch.on || overview.run.live);
  const aim = $derived([overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]);

  let histogram = $state.raw<number[]>([]);
  let recent = $state<number | null>(null);
  let hold = $state<number | null>(null);
  let clipped = $state(0);
  let since = $state<number | null>(null);
  let seconds = $state(0);
  let seen = -1;

  onMount(() => {
    let running = true;
    const tick = (now: number) => {
      if (!running) return;
      const frames = desk.frames;
      // A hill of ten seconds changes little from frame to frame: every second frame is enough to see it live.
      if (frames.count !== seen && frames.count % 2 === 0) {
        seen = frames.count;
        histogram = frames.histogram();
        recent = frames.recentPeak;
        hold = frames.peakHold;
        clipped = frames.clipped;
        since = frames.secondsSinceClipped(now);
        seconds = frames.seconds;
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
      if (desk.overview?.watch.on) void onAir.stopWatch();
    };
  });

  const where = $derived.by(() => {
    if (recent === null) return '';
    const low = aim[0] ?? -15;
    const high = aim[1] ?? -10;
    if (recent > high) return t('{recent} dB over the target', { recent: level(recent - high) });
    if (recent < low) return t('{low} dB under the target', { low: level(low - recent) });
    return t('in the target range');
  });
</script>

<div class="live">
  <div class="tools">
    {#if overview.watch.on}
      <Button onclick={() => void onAir.stopWatch()}>Stop listening</Button>
    {:else if !overview.run.live}
      <Button primary disabled={overview.rig.source === 'file'} onclick={() => void onAir.watch('talk')}
        >Listen in</Button
      >
    {/if}
    {#if on}<Button quiet onclick={() => desk.frames.resetHold()}>Clear peak and count</Button>{/if}
    <span
      >highest of {marked(seconds.toFixed(0))} s <strong class="num">{on ? level(recent) : '—'} dBFS</strong>
      {where}</span
    >
    <span>held <strong class="num">{on ? level(hold) : '—'} dBFS</strong></span>
    <span
      >clipped <strong class="num">{clipped}</strong>{since === null
        ? ''
        : t(', {since} ago', {
            since: since < 60 ? `${marked(since.toFixed(0))} s` : `${marked((since / 60).toFixed(0))} min`,
          })}</span
    >
  </div>
  <div class="picture">
    <Picture label="Distribution of the last ten seconds in dBFS against the target">
      {#snippet children(width, height)}
        {@const x = decibelScale(LOW, 0, MARGIN.left, width - MARGIN.right)}
        {@const base = height - MARGIN.bottom}
        <rect
          x={x(aim[0] ?? -15)}
          y={MARGIN.top}
          width={x(aim[1] ?? -10) - x(aim[0] ?? -15)}
          height={base - MARGIN.top}
          fill="var(--aim-tint)"
        />
        <rect x={x(0)} y={MARGIN.top} width="10" height={base - MARGIN.top} fill="url(#hatch)" />
        {#each steps(-90, 0, 10) as tick (tick)}
          <line x1={x(tick)} x2={x(tick)} y1={MARGIN.top} y2={base} stroke="var(--rule)" />
          <text class="num soft" x={x(tick)} y={base + 17} text-anchor="middle">{level(tick, 0)}</text>
        {/each}
        {#if on && histogram.length}
          <path d={hill(histogram, LOW, x, base, (base - MARGIN.top) * 0.8)} fill="var(--voice)" />
          {#if recent !== null}
            <line x1={x(recent)} x2={x(recent)} y1={MARGIN.top} y2={base} stroke="var(--peak)" stroke-width="2" />
          {/if}
          {#if hold !== null}
            <path d="M{x(hold) - 5} {MARGIN.top}h10l-5 9z" fill="var(--peak)" />
          {/if}
        {:else}
          <text class="soft" x={width / 2} y={base / 2} text-anchor="middle"
            >Listen in and talk: this shows where your level lies.</text
          >
        {/if}
        <Aim {x} {base} {aim} />
        <text class="soft" x={x(0) + 10} y={base + 35} text-anchor="end">dBFS</text>
      {/snippet}
    </Picture>
  </div>
</div>

<style>
  .live {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 16px;
    align-items: center;
    font-size: 13px;
  }
  strong {
    font-weight: 700;
  }
  .picture {
    flex: 1;
    min-height: 0;
  }
</style>
