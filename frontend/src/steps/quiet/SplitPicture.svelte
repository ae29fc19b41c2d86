<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Split } from '../../lib/api';
  import { level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';

  /** The parts of the floor, A-weighted, on one dBFS line, the loudest on top. */
  let { split }: { split: Pick<Split, 'parts' | 'gain_db'> } = $props();

  const LEFT = 150;
  const TITLES: Record<string, string> = {
    room: t('room'),
    microphone: t('microphone itself'),
    preamp: t('preamp'),
    converter: t('converter'),
    electronics: t('preamp and converter'),
    'before the converter': t('room and preamp'),
  };

  function draw(width: number, height: number) {
    const known = split.parts.map((part) => part.a_weighted_dbfs).filter((value) => value !== null);
    const high = Math.ceil((Math.max(...known) + 6) / 10) * 10;
    const low = Math.min(high - 50, Math.floor((Math.min(...known) - 6) / 10) * 10);
    const x = decibelScale(low, high, LEFT, width - 90);
    const base = height - 40;
    const apart = Math.min(52, (base - 10) / split.parts.length);
    const rows = split.parts.map((part, i) => ({
      ...part,
      y: 10 + (i + 0.5) * apart,
      right: part.a_weighted_dbfs === null ? null : x(part.a_weighted_dbfs),
    }));
    // Numbers below the axis stand apart.
    const every = x(low + 10) - x(low) < 36 ? 20 : 10;
    return { x, low, high, base, rows, every };
  }
</script>

<Picture
  numbers={columns({
    [t('part')]: split.parts.map((part) => TITLES[part.name] ?? part.name),
    [t('A-weighted, dBFS')]: split.parts.map((part) => part.a_weighted_dbfs),
  })}
  least={200}
  label="Parts of the noise floor: {split.parts
    .map((part) =>
      t('{part} {floor} dBFS, A-weighted', {
        part: TITLES[part.name] ?? part.name,
        floor: level(part.a_weighted_dbfs),
      }),
    )
    .join(', ')}"
>
  {#snippet children(width, height)}
    {@const p = draw(width, height)}
    {#each steps(p.low, p.high, p.every) as tick (tick)}
      <line x1={p.x(tick)} x2={p.x(tick)} y1="6" y2={p.base} stroke="var(--rule)" />
      <text class="num soft" x={p.x(tick)} y={p.base + 16} text-anchor="middle">{level(tick, 0)}</text>
    {/each}
    <text class="soft" x={p.x(p.high)} y={p.base + 33} text-anchor="end"
      >dBFS, A-weighted, at {level(split.gain_db, 0)} dB gain</text
    >
    {#each p.rows as row (row.name)}
      <text x={LEFT - 12} y={row.y + 5} text-anchor="end">{TITLES[row.name] ?? row.name}</text>
      {#if row.right !== null}
        <rect
          x={p.x(p.low)}
          y={row.y - 9}
          width={Math.max(2, row.right - p.x(p.low))}
          height="18"
          fill="url(#speckle)"
          stroke="var(--room)"
        />
        <text class="num" x={row.right + 8} y={row.y + 4}>{level(row.a_weighted_dbfs)}</text>
      {:else}
        <text class="soft" x={p.x(p.low) + 8} y={row.y + 4}>nothing left to measure</text>
      {/if}
    {/each}
  {/snippet}
</Picture>
