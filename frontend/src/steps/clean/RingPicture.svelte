<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Ring } from '../../lib/api';
  import { frequency } from '../../lib/format';
  import Picture from '../../parts/Picture.svelte';

  /** Decay of each octave as a slope: from the sound down by 60 dB, as long as it takes. */
  interface Props {
    ring: Ring;
  }
  let { ring }: Props = $props();
  const longest = $derived(Math.max(0.6, ...ring.octaves.map((octave) => octave.decay_s)) * 1.08);
</script>

<Picture
  numbers={columns({
    [t('octave, Hz')]: ring.octaves.map((octave) => octave.centre_hz),
    [t('decay by 60 dB, s')]: ring.octaves.map((octave) => octave.decay_s),
  })}
  label="Decay of the room by octave, to −60 dB: {ring.octaves
    .map((o) => `${frequency(o.centre_hz)} ${marked(o.decay_s.toFixed(2))} s`)
    .join(', ')}."
>
  {#snippet children(width, height)}
    {@const left = 64}
    {@const right = width - 70}
    {@const row = (height - 60) / ring.octaves.length}
    {@const x = (seconds: number) => left + (seconds / longest) * (right - left)}
    {#each [0, 0.2, 0.4, 0.6, 0.8, 1, 1.5, 2].filter((s) => s <= longest) as tick (tick)}
      <line x1={x(tick)} x2={x(tick)} y1="14" y2={height - 40} stroke="var(--rule)" />
      <text class="num soft" x={x(tick)} y={height - 22} text-anchor="middle">{tick} s</text>
    {/each}
    <text class="soft" x={left} y={height - 5}
      >each wedge falls from the sound to 60 dB below it; 0.35 s and less is a dry room</text
    >
    <line
      x1={x(0.35)}
      x2={x(0.35)}
      y1="8"
      y2={height - 40}
      stroke="var(--aim)"
      stroke-width="2"
      stroke-dasharray="4 3"
    />
    {#each ring.octaves as octave, i (octave.centre_hz)}
      {@const y = 18 + i * row}
      <path
        d="M{left} {y}L{left} {y + row - 8}L{x(octave.decay_s)} {y + row - 8}Z"
        fill="url(#speckle)"
        stroke="var(--room)"
        stroke-width="1.5"
      />
      <text x={left - 8} y={y + row - 10} text-anchor="end">{frequency(octave.centre_hz)}</text>
      <text
        class="num"
        x={x(octave.decay_s) + 8}
        y={y + row - 9}
        style="font-weight: 600; paint-order: stroke; stroke: var(--sheet); stroke-width: 5px"
        >{marked(octave.decay_s.toFixed(2))} s <tspan class="soft">{octave.range}</tspan></text
      >
    {/each}
  {/snippet}
</Picture>
