<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Clean } from '../../lib/api';
  import { frequency, level } from '../../lib/format';
  import { decibelScale, frequencyScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';
  import { spectrumPath, spreadPath } from './noise';

  /** The profile of the room's noise: its density over frequency, and how far it spreads from moment to moment. */
  interface Props {
    noise: NonNullable<Clean['noise_reduction']>;
    on: boolean;
  }
  let { noise, on }: Props = $props();
  const M = { left: 46, right: 16, top: 30, bottom: 34 };
  const lowered = $derived((noise.floor_dbfs_a ?? 0) - (noise.floor_after_dbfs_a ?? 0));
  const top = $derived(Math.ceil((Math.max(...noise.density_db.slice(1)) + 8) / 10) * 10);
</script>

<Picture
  numbers={columns({ Hz: noise.hz, [t('density, dB per Hz')]: noise.density_db })}
  label="Noise profile of the room at rest, dB per hertz. Floor at the listener {level(noise.floor_dbfs_a)} dBFS(A)."
>
  {#snippet children(width, height)}
    {@const x = frequencyScale(40, 16000, M.left, width - M.right)}
    {@const y = decibelScale(top - 80, top, height - M.bottom, M.top)}
    {#each steps(top - 80, top, 20) as tick (tick)}
      <line x1={M.left} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={M.left - 6} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each [63, 125, 250, 500, 1000, 2000, 4000, 8000] as hz (hz)}
      <text class="num soft" x={x(hz)} y={height - M.bottom + 17} text-anchor="middle">{frequency(hz)}</text>
    {/each}
    <text class="soft" x={M.left} y={16}>dB re full scale per Hz; the area shows its spread from moment to moment</text>
    <path d={spreadPath(noise, x, y)} fill="url(#speckle)" />
    <path d={spectrumPath(noise, x, y, 0)} fill="none" stroke="var(--room)" stroke-width="2" />
    {#if on && lowered > 0.5}
      <path
        d={spectrumPath(noise, x, y, -lowered)}
        fill="none"
        stroke="var(--aim)"
        stroke-width="2"
        stroke-dasharray="6 4"
      />
      <text x={width - M.right} y={M.top + 4} text-anchor="end" style="fill: var(--aim); font-weight: 600"
        >after it: {marked(lowered.toFixed(0))} dB lower, A-weighted</text
      >
    {/if}
  {/snippet}
</Picture>
