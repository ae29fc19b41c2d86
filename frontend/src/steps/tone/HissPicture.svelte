<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Overview, Tone } from '../../lib/api';
  import { frequency, level } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import Picture from '../../parts/Picture.svelte';
  import { envelope, over } from './hiss';

  /** Over the time of the talk: above, the low band with each burst of breath; below, the hissing band with each "s" and "t". */
  interface Props {
    overview: Overview;
    tone: Tone;
  }
  let { overview, tone }: Props = $props();
  const M = { left: 44, right: 14, top: 26, bottom: 30 };
  const plosives = $derived(overview.clean?.deplosive ?? null);
  const sibilants = $derived(tone.sibilants);
  const seconds = $derived(overview.clean?.seconds ?? 30);
  const threshold = (stage: string) =>
    overview.settings.find((s) => s.stage === stage && s.name === 'threshold_dbfs')?.value ?? -30;
  const heldWord = (row: string) =>
    overview.stages.find((s) => s.kind === (row === 'breath' ? 'deplosive' : 'deesser'))?.on
      ? 'held'
      : t('would be reduced');
  const centre = $derived(overview.settings.find((s) => s.stage === 'deesser' && s.name === 'frequency_hz')?.value);
</script>

<Picture
  numbers={columns({
    [t('breath at, s')]: plosives?.found.map((each) => each.at_s) ?? [],
    [t('sibilant at, s')]: sibilants?.found.map((each) => each.at_s) ?? [],
  })}
  label="{plosives?.found.length ?? 0} bursts of breath and {sibilants?.found.length ?? 0} sibilants over {marked(
    seconds.toFixed(0),
  )} s of talk."
>
  {#snippet children(width, height)}
    {@const x = decibelScale(0, seconds, M.left, width - M.right)}
    {@const middle = height * 0.48}
    {@const rows = [
      { name: 'breath', top: M.top, bottom: middle - 16 },
      { name: 'hiss', top: middle + 22, bottom: height - M.bottom },
    ]}
    {#each rows as row (row.name)}
      {@const y = decibelScale(-70, 0, row.bottom, row.top)}
      {@const levels = row.name === 'breath' ? plosives?.levels_dbfs : sibilants?.levels_dbfs}
      {@const limit = threshold(row.name === 'breath' ? 'deplosive' : 'deesser')}
      {#each [-60, -40, -20, 0] as tick (tick)}
        <line x1={M.left} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
        <text class="num soft" x={M.left - 6} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
      {/each}
      {#if levels}
        <path d={envelope(levels, 0.01, x, y, width - M.left - M.right)} fill="none" stroke="var(--voice)" />
      {/if}
      <line
        x1={M.left}
        x2={width - M.right}
        y1={y(limit)}
        y2={y(limit)}
        stroke="var(--aim)"
        stroke-width="2"
        stroke-dasharray="6 4"
      />
      {#if row.name === 'breath'}
        <text x={M.left} y={row.top - 10} style="font-weight: 600"
          >breath: under 150 Hz, dBFS; {plosives?.found.length ?? 0} bursts
          <tspan fill="var(--aim)">{heldWord(row.name)} from {level(limit)}</tspan></text
        >
        {#each plosives?.found ?? [] as burst (burst.at_s)}
          <rect
            x={x(burst.at_s) - 4}
            y={y(burst.level_dbfs ?? -60) - 4}
            width="8"
            height="8"
            fill="none"
            stroke="var(--peak)"
            stroke-width="2"
          />
        {/each}
      {:else}
        <text x={M.left} y={row.top - 10} style="font-weight: 600"
          >hiss: around {centre ? frequency(centre) : t('unknown')}, dBFS; {sibilants ? over(sibilants.found) : 0} of {sibilants
            ?.found.length ?? 0} louder than the words around them
          <tspan fill="var(--aim)">{heldWord(row.name)} from {level(limit)}</tspan></text
        >
        {#each sibilants?.found ?? [] as hiss (hiss.at_s)}
          {@const loud = hiss.level_db > hiss.neighbours_db}
          <line
            x1={x(hiss.at_s + hiss.length_s / 2)}
            x2={x(hiss.at_s + hiss.length_s / 2)}
            y1={row.bottom}
            y2={row.bottom - (hiss.sort === 's' ? 12 : 6)}
            stroke={loud ? 'var(--peak)' : 'var(--edge)'}
            stroke-width={loud ? 3 : 1.5}
          />
        {/each}
      {/if}
    {/each}
    {#each steps(0, seconds, 5) as tick (tick)}
      <text class="num soft" x={x(tick)} y={height - 10} text-anchor="middle">{tick} s</text>
    {/each}
    {#if playback.position !== null}
      <line
        x1={x(playback.position)}
        x2={x(playback.position)}
        y1={M.top}
        y2={height - M.bottom}
        stroke="var(--peak)"
        stroke-width="2"
      />
    {/if}
  {/snippet}
</Picture>
