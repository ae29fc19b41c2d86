<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Tone } from '../../lib/api';
  import { frequency } from '../../lib/format';
  import { HIGH_HZ, LOW_HZ, type Aid } from '../../lib/aids';
  import { frequencyScale } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Picture from '../../parts/Picture.svelte';

  /** Listening aids: one part alone, or a narrow band that is lifted and slides under the pointer or the arrow keys. */
  interface Props {
    tone: Tone;
  }
  let { tone }: Props = $props();
  const AIDS: [Aid, string, string][] = [
    ['all', t('All of it'), ''],
    ['low', t('Low'), t('under {LOW_HZ}', { LOW_HZ: frequency(LOW_HZ) })],
    ['middle', t('Middle'), `${frequency(LOW_HZ)} to ${frequency(HIGH_HZ)}`],
    ['high', t('High'), t('over {HIGH_HZ}', { HIGH_HZ: frequency(HIGH_HZ) })],
    ['probe', t('Probe'), frequency(playback.probeHz)],
  ];
  const M = { left: 20, right: 20, top: 40, bottom: 34 };
  const low = $derived(tone.points_hz[0] ?? 50);

  function listen(aid: Aid): void {
    playback.listen(aid);
    if (!playback.playing) playback.hear(desk.treatable ? 'treated' : 'raw');
  }

  function slide(event: KeyboardEvent): void {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1, PageDown: -6, PageUp: 6 }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    playback.listen('probe', playback.probeHz * 2 ** (by / 24));
  }

  function toPointer(event: PointerEvent, hz: (x: number) => number): void {
    if (event.buttons === 0 && playback.aid !== 'probe') return;
    const box = (event.currentTarget as SVGElement).ownerSVGElement!.getBoundingClientRect();
    playback.listen('probe', hz(event.clientX - box.left));
  }
</script>

<div class="leaf">
  <div class="aids" role="group" aria-label="What is heard">
    {#each AIDS as [aid, title, where] (aid)}
      <button type="button" aria-pressed={playback.aid === aid} onclick={() => listen(aid)}
        >{title} <span>{aid === 'probe' ? frequency(playback.probeHz) : where}</span></button
      >
    {/each}
  </div>
  <div class="picture">
    <Picture handles least={180} label="The voice’s spectrum, and the probe at {frequency(playback.probeHz)}.">
      {#snippet children(width, height)}
        {@const x = frequencyScale(low, 16000, M.left, width - M.right)}
        {@const base = height - M.bottom}
        {@const lowest = Math.min(...tone.corrected_db)}
        {@const span = Math.max(...tone.corrected_db) - lowest}
        {#each [63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000] as hz (hz)}
          <line x1={x(hz)} x2={x(hz)} y1={M.top} y2={base} stroke="var(--rule)" />
          <text class="num soft" x={x(hz)} y={base + 17} text-anchor="middle">{frequency(hz)}</text>
        {/each}
        {#each tone.points_hz as hz, i (hz)}
          {@const heard =
            playback.aid === 'all' ||
            playback.aid === 'probe' ||
            (playback.aid === 'low'
              ? hz < LOW_HZ
              : playback.aid === 'high'
                ? hz > HIGH_HZ
                : hz >= LOW_HZ && hz <= HIGH_HZ)}
          <rect
            x={x(hz) - 2}
            width="4"
            y={base - (((tone.corrected_db[i] ?? lowest) - lowest) / span) * (base - M.top)}
            height={(((tone.corrected_db[i] ?? lowest) - lowest) / span) * (base - M.top)}
            fill={heard ? 'var(--voice)' : 'var(--rule)'}
          />
        {/each}
        <text class="soft" x={M.left} y="14"
          >your corrected voice by third octave, {marked(span.toFixed(0))} dB from the lowest to the highest; triangles stand
          out</text
        >
        {#each tone.resonances as found (found.frequency_hz)}
          <path
            d="M{x(found.frequency_hz)} {M.top - 4}l-5 -9h10z"
            fill="none"
            stroke="var(--peak)"
            stroke-width="1.5"
          />
        {/each}
        <rect
          role="slider"
          tabindex="0"
          aria-label="Probe"
          aria-valuemin={50}
          aria-valuemax={16000}
          aria-valuenow={Math.round(playback.probeHz)}
          aria-valuetext={frequency(playback.probeHz)}
          x={M.left}
          y={M.top}
          width={width - M.left - M.right}
          height={base - M.top}
          fill="transparent"
          onkeydown={slide}
          onpointerdown={(event) => toPointer(event, (px) => x.invert(px))}
          onpointermove={(event) => toPointer(event, (px) => x.invert(px))}
        />
        {#if playback.aid === 'probe'}
          <path
            d="M{x(playback.probeHz)} {base}L{x(playback.probeHz / 1.09)} {base}L{x(playback.probeHz)} {M.top}L{x(
              playback.probeHz * 1.09,
            )} {base}Z"
            fill="none"
            stroke="var(--aim)"
            stroke-width="2"
            pointer-events="none"
          />
          <text x={x(playback.probeHz)} y={M.top - 16} text-anchor="middle" style="fill: var(--aim); font-weight: 600"
            >+12 dB at {frequency(playback.probeHz)}</text
          >
        {/if}
      {/snippet}
    </Picture>
  </div>
</div>

<style>
  .leaf {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .aids {
    flex: none;
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  button {
    min-height: 32px;
    padding: 0 12px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 600;
    cursor: pointer;
  }
  button span {
    font-weight: 400;
  }
  button[aria-pressed='true'] {
    background: var(--voice);
    color: var(--on-voice);
  }
  .picture {
    flex: 1 0 180px;
  }
  rect:focus-visible {
    outline: 2px solid var(--aim);
  }
</style>
