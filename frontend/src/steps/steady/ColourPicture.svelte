<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { scaleLinear } from 'd3-scale';
  import type { Delivery } from '../../lib/api';
  import { frequency, level } from '../../lib/format';
  import { columns } from '../../lib/numbers';
  import { decibelScale, steps } from '../../lib/scales';
  import Picture from '../../parts/Picture.svelte';

  /** What colour adds: harmonics of a tone on the left, what comes after a click on the right. */
  interface Props {
    colour: NonNullable<Delivery['steady']['colour']>;
    on: boolean;
  }
  let { colour, on }: Props = $props();

  const LOW = -60;
  const M = { left: 44, right: 18, top: 62, bottom: 44, between: 64 };
  const harmonics = $derived(colour.harmonics_db.some((db) => db !== null && db > LOW));
  const tone = $derived([
    harmonics ? t('harmonics of a tone') : colour.beside_db === null ? t('a tone stays as it is') : '',
    colour.beside_db === null ? '' : t('tones beside it'),
  ]);
  const longest = $derived(Math.max(0.5, (colour.arrivals.at(-1)?.[0] ?? 0) * 1.05));
  const word = $derived(on ? t('adds') : t('would add'));
  const click = $derived(
    colour.arrivals.length
      ? colour.decay_s === null
        ? t('after a click: fades')
        : t('after a click: falls by 60 dB in {decay_s} s', { decay_s: marked(colour.decay_s.toFixed(2)) })
      : t('nothing comes after a click'),
  );
</script>

<Picture
  numbers={columns({
    [t('harmonic')]: [
      '2',
      '3',
      '4',
      '5',
      '6',
      '7',
      '8',
      ...colour.arrivals.map(([s]) => t('{s} s after a click', { s })),
    ],
    [t('dB under tone or click')]: [...colour.harmonics_db, ...colour.arrivals.map(([, db]) => db ?? null)],
  })}
  label="What colour {word}: {tone.filter((part) => part).join(', ')}; {click}."
>
  {#snippet children(width, height)}
    {@const base = height - M.bottom}
    {@const split = M.left + (width - M.left - M.right) * 0.38}
    {@const y = decibelScale(LOW, 0, base, M.top)}
    {@const x = (order: number) => M.left + ((order - 0.5) / 8) * (split - M.left)}
    {@const seconds = scaleLinear()
      .domain([0, longest])
      .range([split + M.between, width - M.right])}
    <text x={M.left} y="18" style="font-weight: 600"
      >{harmonics ? (on ? t('Adds harmonics') : t('Would add harmonics')) : t('No harmonics: their share is 0 %')}</text
    >
    <text class="soft" x={M.left} y="37"
      >a tone of {frequency(colour.tone_hz)} that peaks at {level(colour.peak_dbfs, 0)} dBFS</text
    >
    <text x={split + M.between} y="18" style="font-weight: 600"
      >{colour.arrivals.length
        ? on
          ? t('Adds what comes after: echo, room, plate')
          : t('Would add what comes after: echo, room, plate')
        : t('No echo, room or plate: their shares are 0 %')}</text
    >
    <text class="soft" x={split + M.between} y="37">{click}</text>
    {#each steps(LOW, 0, 20) as tick (tick)}
      <line x1={M.left} x2={split} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <line x1={split + M.between} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={M.left - 8} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
      <text class="num soft" x={split + M.between - 8} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    {#each [0, ...colour.harmonics_db] as db, i (i)}
      {@const half = Math.min(13, (split - M.left) / 22)}
      {#if db !== null && db > LOW}
        <rect
          x={x(i + 1) - half}
          y={y(db)}
          width={half * 2}
          height={base - y(db)}
          fill={i ? 'var(--voice)' : 'none'}
          stroke={i ? 'none' : 'var(--voice)'}
          stroke-width="2"
        />
        {#if i}<text class="num" x={x(i + 1)} y={y(db) - 5} text-anchor="middle">{level(db, 0)}</text>{/if}
      {/if}
      <text class="num soft" x={x(i + 1)} y={base + 17} text-anchor="middle">{i + 1}</text>
    {/each}
    {#if colour.beside_db !== null}
      <line
        x1={x(0.72)}
        x2={x(1.9)}
        y1={y(colour.beside_db)}
        y2={y(colour.beside_db)}
        stroke="var(--aim)"
        stroke-width="3"
      />
      <text x={x(1.95)} y={y(colour.beside_db) + 4} style="fill: var(--aim); font-weight: 600"
        >two tones beside it, {level(colour.beside_db, 0)} dB</text
      >
    {/if}
    <text class="soft" x={split} y={base + 36} text-anchor="end">dB against the tone, by harmonic</text>
    <line x1={seconds(0)} x2={seconds(0)} y1={y(0)} y2={base} stroke="var(--voice)" stroke-width="3" />
    {#each colour.arrivals as [s = 0, db = LOW] (s)}
      <line x1={seconds(s)} x2={seconds(s)} y1={y(db)} y2={base} stroke="var(--room)" stroke-width="2" />
    {/each}
    {#each seconds.ticks(5) as tick (tick)}
      <text class="num soft" x={seconds(tick)} y={base + 17} text-anchor="middle">{marked(String(tick))}</text>
    {/each}
    <text class="soft" x={width - M.right} y={base + 36} text-anchor="end">dB against the click, over seconds</text>
  {/snippet}
</Picture>
