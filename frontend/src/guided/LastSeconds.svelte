<script lang="ts">
  import { t } from '../lib/words';
  import type { Progress } from '../lib/api';
  import { level } from '../lib/format';
  import { decibelScale, steps } from '../lib/scales';
  import Picture from '../parts/Picture.svelte';

  /** The last ten seconds of a take: level solid, its peak a line over it, and where peaks should land. */
  interface Props {
    progress: Progress | null;
    aim: [number, number];
  }
  let { progress, aim }: Props = $props();
  const SHOWN_S = 10;
  interface Moment {
    at: number;
    level: number;
    peak: number;
  }
  let moments = $state.raw<Moment[]>([]);

  $effect(() => {
    if (!progress || progress.level_dbfs === null) return;
    const now = { at: progress.done_s, level: progress.level_dbfs, peak: progress.peak_dbfs ?? progress.level_dbfs };
    const before = moments.at(-1);
    // Time that runs backwards is another take.
    const kept = before && before.at <= now.at ? moments.filter((each) => each.at > now.at - SHOWN_S) : [];
    if (before?.at !== now.at) moments = [...kept, now];
  });
  const last = $derived(moments.at(-1));
</script>

<Picture
  least={180}
  label={last
    ? t('The last ten seconds, dBFS: now {level}, peak {peak}', { level: level(last.level), peak: level(last.peak) })
    : t('The last ten seconds, dBFS: nothing yet')}
>
  {#snippet children(width, height)}
    {@const y = decibelScale(-80, 0, height - 24, 12)}
    {@const x = (at: number) => 40 + ((width - 56) * (at - (last?.at ?? 0) + SHOWN_S)) / SHOWN_S}
    <rect x="40" y="2" width={width - 56} height="8" fill="url(#hatch)" />
    {#each steps(-80, 0, 20) as tick (tick)}
      <line x1="40" x2={width - 16} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x="34" y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each moments as moment (moment.at)}
      <line
        x1={x(moment.at)}
        x2={x(moment.at)}
        y1={y(-80)}
        y2={y(Math.max(-80, moment.level))}
        stroke="var(--voice)"
        stroke-width={Math.max(2, (width / SHOWN_S) * 0.07)}
      />
    {/each}
    <path
      d={moments.map((m, i) => `${i ? 'L' : 'M'}${x(m.at)} ${y(Math.max(-80, m.peak))}`).join('')}
      fill="none"
      stroke="var(--peak)"
      stroke-width="1.500"
    />
    <path
      d="M{width - 28} {y(aim[1])}h8v{y(aim[0]) - y(aim[1])}h-8"
      fill="none"
      stroke="var(--aim)"
      stroke-width="2.500"
    />
    <text x={width - 32} y={y(aim[1]) - 5} text-anchor="end" style="fill: var(--aim); font-weight: 600"
      >target for peaks</text
    >
    <text class="soft" x="40" y={height - 6}>the last ten seconds, dBFS</text>
  {/snippet}
</Picture>
