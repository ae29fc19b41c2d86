<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { line } from 'd3-shape';
  import { frequencyTick, level } from '../../lib/format';
  import { decibelScale, frequencyScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';

  /** The microphone's response file as a line over frequency, 0 dB at 1 kHz as it is used. */
  let { points }: { points: number[][] } = $props();

  const TICKS = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];

  function nearest(hz: number): number {
    return points.reduce((best, row) =>
      Math.abs(Math.log((row[0] ?? 1) / hz)) < Math.abs(Math.log((best[0] ?? 1) / hz)) ? row : best,
    )[1] as number;
  }

  function draw(width: number, height: number) {
    const zero = nearest(1000);
    const rows = points
      .map(([hz = 1, db = 0]) => [hz, db - zero] as [number, number])
      .filter(([hz]) => hz >= 20 && hz <= 22000);
    const most = Math.max(6, ...rows.map(([, db]) => Math.abs(db)));
    const high = Math.min(30, Math.ceil(most / 6) * 6);
    const x = frequencyScale(20, 22000, 46, width - 12);
    const y = decibelScale(-high, high, height - 28, 10);
    const path = line<[number, number]>()
      .x(([hz]) => x(hz))
      .y(([, db]) => y(db));
    return { x, y, high, path: path(rows) ?? '' };
  }
</script>

<Picture
  numbers={columns({
    Hz: points.map((row) => row[0]),
    [t('response, dB')]: points.map((row) => row[1]),
  })}
  least={120}
  label="The microphone’s response, dB against 1 kHz"
>
  {#snippet children(width, height)}
    {@const p = draw(width, height)}
    {#each steps(-p.high, p.high, p.high > 12 ? 12 : 6) as tick (tick)}
      <line x1="46" x2={width - 12} y1={p.y(tick)} y2={p.y(tick)} stroke={tick === 0 ? 'var(--edge)' : 'var(--rule)'} />
      <text class="num soft" x="38" y={p.y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each TICKS as hz (hz)}
      <text class="num soft" x={p.x(hz)} y={height - 10} text-anchor="middle">{frequencyTick(hz)}</text>
    {/each}
    <text class="soft" x={width - 12} y={p.y(p.high) + 14} text-anchor="end">dB over Hz</text>
    <path d={p.path} fill="none" stroke="var(--ink)" stroke-width="1.750" />
  {/snippet}
</Picture>
