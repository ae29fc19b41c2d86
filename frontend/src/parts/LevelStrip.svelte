<script lang="ts">
  import type { DiagramPoint, StepName } from '../lib/api';
  import { level } from '../lib/format';
  import { HEIGHT, layout, peakPath, PLOT, roomPath, voicePath } from './diagram';

  /** The level diagram folded to a strip, in words for the step at hand, where a window has no room for all of it. */
  interface Props {
    points: DiagramPoint[];
    step: StepName;
  }
  let { points, step }: Props = $props();
  const WIDTH = 700;
  const AT: Partial<Record<StepName, string>> = {
    rig: 'mic',
    quiet: 'converter',
    gain: 'converter',
    clean: 'cleaned',
    tone: 'equalized',
    steady: 'levelled',
  };
  const placed = $derived(layout(points, WIDTH));
  /** The point that the step governs, else the farthest that is known. */
  const point = $derived(points.find((each) => each.name === AT[step]) ?? placed.path.at(-1)?.point ?? null);
  const all = $derived([...placed.path, ...placed.destinations]);
  const here = $derived(all.find((segment) => segment.point.name === point?.name) ?? null);
</script>

{#if point}
  <section aria-label="Level at this step">
    <svg viewBox="0 {PLOT.top} {WIDTH} {HEIGHT - 2 * PLOT.top - 24}" preserveAspectRatio="none" aria-hidden="true">
      <path d={roomPath(placed.path).fill} fill="url(#speckle)" />
      <path d={voicePath(placed.path)} fill="var(--voice)" />
      {#each placed.destinations as to (to.point.name)}<path d={voicePath([to])} fill="var(--voice)" />{/each}
      <path d={peakPath(placed.path)} fill="none" stroke="var(--peak)" stroke-width="4" />
      {#if here}
        <rect
          x={here.x0}
          y={PLOT.top}
          width={here.x1 - here.x0}
          height={PLOT.bottom - PLOT.top}
          fill="var(--aim-tint)"
          stroke="var(--aim)"
          stroke-width="3"
        />
      {/if}
    </svg>
    <span>
      <b>{point.title}</b>
      {#if point.voice_low_dbfs !== null}
        voice <span class="num">{level(point.voice_low_dbfs)} to {level(point.voice_high_dbfs)}</span>
      {/if}
      {#if point.peak_dbfs !== null}peak <span class="num">{level(point.peak_dbfs)}</span>{/if}
      {#if point.floor_dbfs_a !== null}room <span class="num">{level(point.floor_dbfs_a)}</span>{/if}
      {point.name === 'mic' ? '' : 'dBFS'}
    </span>
  </section>
{/if}

<style>
  section {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 2px 0 4px;
    font-size: 13px;
  }
  svg {
    flex: 0 1 180px;
    min-width: 80px;
    height: 34px;
  }
  section > span {
    flex: 1;
  }
</style>
