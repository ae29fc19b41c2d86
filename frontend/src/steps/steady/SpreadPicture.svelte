<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Delivery } from '../../lib/api';
  import { level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import { at } from '../../lib/tape';
  import Picture from '../../parts/Picture.svelte';
  import { FROM, heap, outline, width80 } from './spread';

  /** How often 50 ms of speech lie at each level: as they come, at the same loudness, and as they leave. */
  interface Props {
    delivery: Delivery;
  }
  let { delivery }: Props = $props();
  const M = { left: 16, right: 26, top: 58, bottom: 40 };
  const highest = $derived(Math.max(...delivery.levels_in, ...delivery.levels_out));
  const now = $derived(
    playback.position !== null && playback.tape.frames
      ? at(playback.tape.frames.level_dbfs, playback.tape.frames.step_s, playback.position)
      : null,
  );
</script>

<Picture
  numbers={columns({
    [t('dBFS from')]: delivery.levels_in.map((_, i) => FROM + i),
    [t('share before')]: delivery.levels_in,
    [t('share after')]: delivery.levels_out,
  })}
  label="Levels of speech before and after steadying. Middle four fifths {width80(
    delivery.levels_in,
  )} dB wide before, {width80(delivery.levels_out)} dB after."
>
  {#snippet children(width, height)}
    {@const x = decibelScale(FROM, 0, M.left, width - M.right)}
    {@const base = height - M.bottom}
    {@const aim = delivery.aim_peaks_dbfs}
    <rect
      x={x(delivery.aim_ceiling_dbtp)}
      y={M.top}
      width={x(0) - x(delivery.aim_ceiling_dbtp) + 10}
      height={base - M.top}
      fill="url(#hatch)"
    />
    {#each steps(FROM, 0, 10) as tick (tick)}
      <line x1={x(tick)} x2={x(tick)} y1={M.top} y2={base} stroke="var(--rule)" />
      <text class="num soft" x={x(tick)} y={base + 17} text-anchor="middle">{level(tick, 0)}</text>
    {/each}
    <text class="soft" x={x(0) + 10} y={base + 34} text-anchor="end">dBFS over 50 ms of speech</text>
    <path d={heap(delivery.levels_out, x, base, M.top + 8, highest)} fill="var(--voice)" />
    <path
      d={outline(delivery.levels_in, x, base, M.top + 8, highest)}
      fill="none"
      stroke="var(--peak)"
      stroke-width="2"
      stroke-dasharray="5 3"
    />
    <text x={M.left} y="18" style="font-weight: 600"
      >solid: treated, four fifths within {width80(delivery.levels_out)} dB</text
    >
    <text x={M.left} y="36" style="fill: var(--peak); font-weight: 600"
      >dashed: raw, at the same loudness, {width80(delivery.levels_in)} dB</text
    >
    <g fill="none" stroke="var(--aim)" stroke-width="2.5">
      <path d="M{x(aim[0] ?? -10) + 6} {M.top - 4}h-6v14" />
      <path d="M{x(aim[1] ?? -5) - 6} {M.top - 4}h6v14" />
    </g>
    <text x={x(aim[1] ?? -5)} y={M.top - 10} text-anchor="end" style="fill: var(--aim); font-weight: 600"
      >target for normal peaks</text
    >
    {#if delivery.planned_peaks_dbfs !== null}
      <line
        x1={x(delivery.planned_peaks_dbfs)}
        x2={x(delivery.planned_peaks_dbfs)}
        y1={M.top}
        y2={base}
        stroke="var(--peak)"
        stroke-width="2"
      />
    {/if}
    {#if now !== null}
      <path d="M{x(now)} {base}l-6 9h12z" fill="var(--peak)" />
    {/if}
  {/snippet}
</Picture>
