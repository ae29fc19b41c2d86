<script lang="ts">
  import { t, within } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Series } from '../../lib/api';
  import Picture from '../../parts/Picture.svelte';

  /** Where a series landed, against where chance alone lands. */
  interface Props {
    series: Pick<
      Series,
      'title' | 'first_name' | 'sentence' | 'first' | 'rounds' | 'same' | 'chance_low' | 'chance_high' | 'heard'
    >;
  }
  let { series }: Props = $props();
  const M = { left: 40, right: 40, top: 64, bottom: 54 };
  const tally = $derived(
    t('{first} of {rounds}', { first: series.first.toString().replace('.5', '½'), rounds: series.rounds }),
  );
  const every = $derived(series.rounds > 16 ? 2 : 1);
</script>

<Picture
  numbers={columns({
    [t('for the first')]: [series.first],
    [t('rounds')]: [series.rounds],
  })}
  least={200}
  label="{series.title}: {tally} for {series.first_name}. {series.sentence}"
>
  {#snippet children(width, height)}
    {@const x = (hits: number) => M.left + (hits / series.rounds) * (width - M.left - M.right)}
    {@const base = Math.min(height - M.bottom, 190)}
    {@const at = x(series.first)}
    <text x={M.left - 20} y="20" style="font-weight: 700">The last series: {within(series.title)}</text>
    <rect
      x={x(series.chance_low) - 6}
      y={M.top}
      width={x(series.chance_high) - x(series.chance_low) + 12}
      height={base - M.top}
      fill="url(#speckle)"
    />
    <line x1={M.left} x2={width - M.right} y1={base} y2={base} stroke="var(--ink)" />
    {#each Array.from({ length: series.rounds + 1 }, (_, k) => k) as hits (hits)}
      <line x1={x(hits)} x2={x(hits)} y1={base} y2={base + 6} stroke="var(--ink)" />
      {#if hits % every === 0}
        <text class="num" x={x(hits)} y={base + 22} text-anchor="middle">{hits}</text>
      {/if}
    {/each}
    <text
      x={(x(series.chance_low) + x(series.chance_high)) / 2}
      y={base + 42}
      text-anchor="middle"
      style="fill: var(--room); font-weight: 600"
      >chance alone lands from {series.chance_low} to {series.chance_high} in 19 of 20 series</text
    >
    {#if series.heard}
      <path d="M{at} {M.top + 14}l14 16-14 16-14-16z" fill="var(--aim)" />
    {:else}
      <circle cx={at} cy={M.top + 30} r="12" fill="var(--sheet)" stroke="var(--ink)" stroke-width="2.5" />
    {/if}
    <text
      x={at}
      y={M.top - 8}
      text-anchor={at > width * 0.7 ? 'end' : at < width * 0.3 ? 'start' : 'middle'}
      style="font-weight: 700"
      >{tally} for {series.first_name}{series.same
        ? t(', “no difference” {same} times, half to each', { same: series.same })
        : ''}</text
    >
  {/snippet}
</Picture>
