<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';
  import type { Quiet } from '../../lib/api';
  import { frequency } from '../../lib/format';
  import BandAxes from './BandAxes.svelte';
  import { MARGIN, picture, type Band } from './bands';

  interface Props {
    quiet: Quiet;
    held?: Band[];
    heldName?: string;
  }
  let { quiet, held = [], heldName = '' }: Props = $props();
</script>

<Picture
  numbers={columns({
    [t('third octave, Hz')]: quiet.third_octaves.map((band) => band.centre_hz),
    [t('level, dBFS')]: quiet.third_octaves.map((band) => band.level_dbfs),
  })}
  label="Third-octave levels of the room in dBFS{quiet.hum
    ? t(', with a hum family at {mains_hz} Hz', { mains_hz: marked(quiet.hum.mains_hz.toFixed(2)) })
    : ''}"
>
  {#snippet children(width, height)}
    {@const p = picture(quiet, width, height, held)}
    <BandAxes x={p.x} y={p.y} low={p.low} high={p.high} {width} />
    {#each p.bars as bar (bar.label)}
      <rect
        x={bar.x}
        y={bar.top}
        width={bar.width}
        height={Math.max(0, bar.bottom - bar.top)}
        fill="url(#speckle)"
        stroke="var(--room)"
        stroke-width="1.250"
      />
    {/each}
    {#each p.held as bar (bar.label)}
      <line x1={bar.x - 1} x2={bar.x + bar.width + 1} y1={bar.top} y2={bar.top} stroke="var(--aim)" stroke-width="2" />
    {/each}
    {#each p.combs as comb (comb.spacing_hz)}
      <path d="M{comb.left} {MARGIN.top - 2}v-8H{comb.right}v8" fill="none" stroke="var(--ink)" stroke-width="1.500" />
      <text x={(comb.left + comb.right) / 2} y={MARGIN.top - 14} text-anchor="middle"
        >{comb.lines} lines every {frequency(comb.spacing_hz)}</text
      >
    {/each}
    {#each p.hum as line (line.hz)}
      <path d="M{line.x - 4.5} {MARGIN.top - 16}h9l-4.500 8z" fill="var(--ink)" />
      <line x1={line.x} x2={line.x} y1={MARGIN.top - 8} y2={line.y} stroke="var(--ink)" stroke-dasharray="1 3" />
      <circle cx={line.x} cy={line.y} r="3" fill="var(--ink)" />
    {/each}
    {#if p.hum.length && !p.combs.length}
      <text x={(p.hum.at(-1)?.x ?? 0) + 10} y={MARGIN.top - 8}
        >mains hum, {marked(quiet.hum?.mains_hz.toFixed(2))} Hz</text
      >
    {/if}
    {#each p.tones as tone (tone.hz)}
      <path d="M{tone.x} {tone.y - 5}l5 5-5 5-5-5z" fill="none" stroke="var(--ink)" stroke-width="1.500" />
      <text x={tone.x + 8} y={tone.y - 4}>tone</text>
    {/each}
    {#if heldName}
      <text x={width - MARGIN.right} y={14} text-anchor="end" style="fill: var(--aim); font-weight: 600"
        >{heldName}</text
      >
    {/if}
  {/snippet}
</Picture>
