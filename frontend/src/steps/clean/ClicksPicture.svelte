<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { level } from '../../lib/format';
  import { columns } from '../../lib/numbers';
  import type { Clean } from '../../lib/api';
  import Picture from '../../parts/Picture.svelte';

  /** When the room in use bursts: how loud each is, and what is left of it. */
  interface Props {
    clicks: NonNullable<Clean['clicks']>;
    on: boolean;
  }
  let { clicks, on }: Props = $props();
  const levels = $derived([...clicks.before_dbfs, ...(on ? clicks.after_dbfs : [])]);
  const top = $derived(Math.ceil((Math.max(...levels) + 3) / 10) * 10);
  const low = $derived(Math.floor((Math.min(...levels) - 3) / 10) * 10);
  const step = $derived(clicks.seconds > 30 ? 10 : clicks.seconds > 12 ? 5 : 2);
  const minus = (value: number) => level(value, 0);
  const middle = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? low;
</script>

<Picture
  numbers={columns({
    'at, s': clicks.at_s,
    [t('before, dBFS')]: clicks.before_dbfs,
    ...(on ? { 'after, dBFS': clicks.after_dbfs } : {}),
  })}
  label="{clicks.at_s.length} short bursts in {marked(
    clicks.seconds.toFixed(0),
  )} s of your room in use, half of them over {minus(middle(clicks.before_dbfs))} dBFS{on
    ? t('; the remains are around {after_dbfs} dBFS', { after_dbfs: minus(middle(clicks.after_dbfs)) })
    : ''}."
>
  {#snippet children(width, height)}
    {@const left = 52}
    {@const bottom = height - 46}
    {@const y = (level: number) => 14 + ((top - level) / Math.max(top - low, 1)) * (bottom - 14)}
    {@const x = (at: number) => left + (at / Math.max(clicks.seconds, 1)) * (width - left - 20)}
    {#each Array.from({ length: Math.floor((top - low) / 10) + 1 }, (_, i) => low + i * 10) as level (level)}
      <line x1={left} x2={width - 20} y1={y(level)} y2={y(level)} stroke="var(--rule)" />
      <text class="num soft" x={left - 8} y={y(level) + 4} text-anchor="end">{minus(level)}</text>
    {/each}
    {#each Array.from({ length: Math.floor(clicks.seconds / step) + 1 }, (_, i) => i * step) as at (at)}
      <text class="num soft" x={x(at)} y={bottom + 17} text-anchor="middle">{at} s</text>
    {/each}
    {#each clicks.at_s as at, i (at)}
      {@const before = clicks.before_dbfs[i] ?? low}
      {@const after = clicks.after_dbfs[i] ?? before}
      {#if on}<line x1={x(at)} x2={x(at)} y1={y(before)} y2={y(after)} stroke="var(--ink)" stroke-width="1.5" />{/if}
      <circle cx={x(at)} cy={y(before)} r="3.5" fill="var(--sheet)" stroke="var(--ink)" stroke-width="1.5" />
      {#if on}<circle cx={x(at)} cy={y(after)} r="3.5" fill="var(--room)" />{/if}
    {/each}
    <text class="soft" x={left} y={height - 6}
      >dBFS, 1 to 9 kHz: open, each burst as it was{on ? t('; filled, what remains in its place') : ''}</text
    >
  {/snippet}
</Picture>
