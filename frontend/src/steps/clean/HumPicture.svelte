<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Clean } from '../../lib/api';
  import { frequency, level as plain, withUnit } from '../../lib/format';
  import Picture from '../../parts/Picture.svelte';

  /** Each line of the hum: how high it stands in the room at rest, and what is left of it. */
  interface Props {
    hum: NonNullable<Clean['hum']>;
    on: boolean;
  }
  let { hum, on }: Props = $props();
  const lines = $derived(
    hum.numbers.map((number, i) => ({
      hz: number * hum.mains_hz,
      before: hum.before_dbfs[i] ?? -120,
      after: Math.min(hum.after_dbfs[i] ?? -120, hum.before_dbfs[i] ?? -120),
    })),
  );
  const top = $derived(Math.ceil((Math.max(...lines.map((line) => line.before)) + 6) / 10) * 10);
  const low = $derived(Math.max(-120, Math.floor((Math.min(...lines.map((line) => line.after)) - 4) / 10) * 10));
  const shown = (level: number) => Math.max(level, low);
  const told = (level: number) => (level <= -119 ? t('in the noise') : withUnit(level, 'dBFS', 0));
</script>

<Picture
  numbers={columns({
    Hz: lines.map((line) => line.hz),
    [t('before, dBFS')]: lines.map((line) => line.before),
    ...(on ? { 'after, dBFS': lines.map((line) => line.after) } : {}),
  })}
  label="Lines of the hum{on ? t(', before and after') : ''}: {lines
    .map((line) => `${frequency(line.hz)} ${told(line.before)}${on ? ` to ${told(line.after)}` : ''}`)
    .join(', ')}."
>
  {#snippet children(width, height)}
    {@const left = 52}
    {@const bottom = height - 44}
    {@const y = (level: number) => 16 + ((top - level) / (top - low)) * (bottom - 16)}
    {@const column = (width - left - 16) / Math.max(lines.length, 1)}
    {#each Array.from({ length: Math.floor((top - low) / 10) + 1 }, (_, i) => low + i * 10) as level (level)}
      <line x1={left} x2={width - 16} y1={y(level)} y2={y(level)} stroke="var(--rule)" />
      <text class="num soft" x={left - 8} y={y(level) + 4} text-anchor="end">{plain(level, 0)}</text>
    {/each}
    <text class="soft" x={left} y={height - 6}
      >{on
        ? t('dBFS, the room at rest: from the bar down to the column it was removed')
        : t('dBFS, the room at rest: nothing is removed, the stage is off')}</text
    >
    {#each lines as line, i (line.hz)}
      {@const x = left + (i + 0.5) * column}
      {@const wide = Math.min(18, column * 0.4)}
      <rect
        x={x - wide / 2}
        width={wide}
        y={y(shown(line.after))}
        height={bottom - y(shown(line.after))}
        fill="var(--room)"
      />
      <line x1={x} x2={x} y1={y(line.before)} y2={y(shown(line.after))} stroke="var(--ink)" stroke-width="2" />
      <line x1={x - 7} x2={x + 7} y1={y(line.before)} y2={y(line.before)} stroke="var(--ink)" stroke-width="2" />
      <text class="num" {x} y={y(line.before) - 6} text-anchor="middle" font-weight="600"
        >{!on
          ? told(line.before)
          : line.after <= -119
            ? t('in the noise')
            : t('{less} dB lower', { less: marked((line.before - line.after).toFixed(0)) })}</text
      >
      <text class="num soft" {x} y={bottom + 18} text-anchor="middle">{frequency(line.hz)}</text>
    {/each}
  {/snippet}
</Picture>
