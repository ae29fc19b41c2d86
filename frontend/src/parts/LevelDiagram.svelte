<script lang="ts">
  import { codeWord } from '../lib/code-words';
  import { t } from '../lib/words';
  import type { DiagramPoint } from '../lib/api';
  import { level } from '../lib/format';
  import { columns } from '../lib/numbers';
  import SavePicture from './SavePicture.svelte';
  import { fanPath, HEIGHT, layout, peakPath, PLOT, roomFan, roomPath, voicePath, y } from './diagram';

  /** The whole path on one dBFS scale: voice as a solid ribbon, room as a speckled field, peaks as a thin line. */
  interface Props {
    points: DiagramPoint[];
    /** Whether the room's level is what physics says after a turned knob, not yet measured. */
    predicted?: boolean;
    aim?: [number, number];
    /** What goes to each listener at this moment, dBFS by key. */
    live?: Record<string, number | null>;
  }
  let { points, predicted = false, aim: AIM = [-15, -10], live = {} }: Props = $props();
  let width = $state(1200);
  let svg = $state<SVGSVGElement | null>(null);

  const placed = $derived(layout(points, width));
  const room = $derived(roomPath(placed.path));
  const last = $derived(placed.path.at(-1));
  const converter = $derived(placed.path.find((s) => s.point.name === 'converter'));
  const thick = $derived(
    converter && converter.point.voice_low_dbfs !== null && converter.point.voice_high_dbfs !== null
      ? y(converter.point.voice_low_dbfs) - y(converter.point.voice_high_dbfs)
      : 0,
  );

  function numbers(point: DiagramPoint): string[] {
    const parts: string[] = [];
    if (point.peak_dbfs !== null) parts.push(t('peak {peak_dbfs}', { peak_dbfs: level(point.peak_dbfs) }));
    if (point.floor_dbfs_a !== null) parts.push(t('floor {floor_dbfs_a}', { floor_dbfs_a: level(point.floor_dbfs_a) }));
    return parts;
  }

  /** A name in the room that there is, about seven points a letter. */
  function shortName(name: string, room: number): string {
    const most = Math.max(4, Math.floor((room + 4) / 7.4));
    return name.length <= most ? name : `${name.slice(0, most - 1).trimEnd()}…`;
  }

  const spoken = $derived(
    points.length
      ? points
          .map((p) =>
            t('{title}: voice {voice_low_dbfs} to {voice_high_dbfs}, {p} dBFS', {
              title: p.title,
              voice_low_dbfs: level(p.voice_low_dbfs),
              voice_high_dbfs: level(p.voice_high_dbfs),
              p: numbers(p).join(' '),
            }),
          )
          .join('; ')
      : t('Nothing measured yet'),
  );
  const label = $derived(t('Level diagram. {spoken}', { spoken }));
</script>

<figure bind:clientWidth={width}>
  <svg {width} height={HEIGHT} role="img" aria-label={label} bind:this={svg}>
    <rect x="0" y={PLOT.top - 9} {width} height="9" fill="url(#hatch)" />
    {#each [0, -20, -40, -60, -80] as tick (tick)}
      <line x1="0" x2={width} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x="0" y={y(tick) + 12}>{level(tick, 0)}{tick === 0 ? ' dBFS' : ''}</text>
    {/each}

    <path d={room.fill} fill="url(#speckle)" />
    <path d={room.top} fill="none" stroke="var(--room)" stroke-width="1.500" />
    {#each placed.destinations as to (to.point.name)}
      {@const from = to.point.note === 'raw' ? converter : last}
      {#if from && from === last}
        <path d={roomFan(from, to)} fill="url(#speckle)" opacity="0.45" />
      {/if}
      {#if last && to.point.note !== 'raw'}
        <path d={fanPath(last, to)} fill="var(--voice)" opacity="0.28" />
      {:else if converter}
        <path d={fanPath(converter, to)} fill="none" stroke="var(--voice)" stroke-dasharray="3 4" opacity="0.6" />
      {/if}
    {/each}
    <path d={voicePath(placed.path)} fill="var(--voice)" />
    <path d={peakPath(placed.path)} fill="none" stroke="var(--peak)" stroke-width="1.500" />
    {#each placed.destinations as to (to.point.name)}
      {@const roomThere = roomPath([to])}
      <path d={roomThere.fill} fill="url(#speckle)" />
      <path d={roomThere.top} fill="none" stroke="var(--room)" stroke-width="1.500" />
      <path
        d={voicePath([to])}
        fill={to.point.note === 'raw' ? 'none' : 'var(--voice)'}
        stroke="var(--voice)"
        stroke-width="1.500"
      />
      <path d={peakPath([to])} fill="none" stroke="var(--peak)" stroke-width="1.500" />
    {/each}

    <g fill="none" stroke="var(--aim)" stroke-width="2.500">
      <path d="M{2 * placed.column + 12} {y(AIM[1])}h-6v{y(AIM[0]) - y(AIM[1])}h6" />
      <path d="M{2.88 * placed.column - 6} {y(AIM[1])}h6v{y(AIM[0]) - y(AIM[1])}h-6" />
    </g>
    <text x={2 * placed.column + 18} y={y(AIM[1]) - 4} style="fill: var(--aim); font-weight: 600"
      >target for peaks {level(AIM[0], 0)} to {level(AIM[1], 0)}</text
    >
    {#if converter && thick > 13}
      <text
        x={(converter.x0 + converter.x1) / 2}
        y={y(converter.point.voice_high_dbfs!) + thick / 2 + 4}
        text-anchor="middle"
        style="fill: var(--on-voice); font-weight: 600">voice</text
      >
    {/if}
    {#if converter && converter.point.floor_dbfs_a !== null}
      <g
        transform="translate({(converter.x0 + converter.x1) / 2} {Math.min(
          y(converter.point.floor_dbfs_a) + 22,
          PLOT.bottom - 6,
        )})"
      >
        <rect x={predicted ? -62 : -32} y="-12" width={predicted ? 124 : 64} height="16" fill="var(--paper)" />
        <text text-anchor="middle" style="fill: var(--room); font-weight: 600"
          >{predicted ? t('room (A), predicted') : t('room (A)')}</text
        >
      </g>
    {/if}
    {#if !points.length}
      <text class="soft" x={width / 2} y={y(-50)} text-anchor="middle"
        >Nothing is measured yet. The levels appear here as you record.</text
      >
    {/if}

    {#each placed.destinations as to (to.point.name)}
      {@const now = live[to.point.name.slice(3)]}
      {#if now !== null && now !== undefined && now > -100}
        <path class="now" d="M{to.x1 + 1} {y(now)}l6 -4v8z" fill="var(--ink)" />
      {/if}
    {/each}

    {#each placed.destinations as { point, x0, x1 }, place (point.name)}
      {@const middle = (x0 + x1) / 2}
      {@const row = place % placed.lines}
      {@const final = placed.lines > 1 && place === placed.destinations.length - 1}
      {#if row}
        <line
          x1={middle}
          x2={middle}
          y1={PLOT.bottom + 3}
          y2={PLOT.bottom + 4 + 15 * row}
          stroke="var(--edge)"
          stroke-dasharray="1 2"
        />
      {/if}
      <text
        x={final ? width : middle}
        y={PLOT.bottom + 16 + 15 * row}
        text-anchor={final ? 'end' : 'middle'}
        style="font-weight: 600"
        >{shortName(point.title, placed.lines * (x1 - x0 + 6) - 6)}{point.note && placed.lines === 1
          ? ` (${codeWord(point.note)})`
          : ''}</text
      >
      {#if placed.lines === 1}
        {#each numbers(point) as line, row (line)}
          <text class="num soft" x={middle} y={PLOT.bottom + 32 + row * 15} text-anchor="middle">{line}</text>
        {/each}
      {/if}
    {/each}
    {#each placed.path as { point, x0, x1 } (point.name)}
      {@const middle = point.name === 'mic' ? x0 : (x0 + x1) / 2}
      {@const anchor = point.name === 'mic' ? 'start' : 'middle'}
      <text x={middle} y={PLOT.bottom + 16} text-anchor={anchor} style="font-weight: 600">
        {point.title}{point.note ? ` (${codeWord(point.note)})` : ''}
      </text>
      {#each numbers(point) as line, row (line)}
        <text class="num soft" x={middle} y={PLOT.bottom + 32 + row * 15} text-anchor={anchor}>{line}</text>
      {/each}
    {/each}
  </svg>
  {#if points.length}<SavePicture
      {svg}
      {label}
      corner
      numbers={columns({
        [t('where')]: points.map((point) => point.title),
        [t('peak, dBFS')]: points.map((point) => point.peak_dbfs),
        [t('voice from, dBFS')]: points.map((point) => point.voice_low_dbfs),
        [t('voice to, dBFS')]: points.map((point) => point.voice_high_dbfs),
        [t('floor, dBFS A-weighted')]: points.map((point) => point.floor_dbfs_a),
        [t('delay, ms')]: points.map((point) => point.delay_ms),
      })}
    />{/if}
</figure>

<style>
  figure {
    position: relative;
    width: 100%;
    overflow: hidden;
  }
  svg {
    display: block;
  }
  .num {
    white-space: pre;
  }
</style>
