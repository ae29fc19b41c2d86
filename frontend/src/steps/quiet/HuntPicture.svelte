<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { onMount } from 'svelte';
  import type { Quiet, Rig } from '../../lib/api';
  import { frequency, level, signed } from '../../lib/format';
  import { onAir } from '../../lib/on-air.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Picture from '../../parts/Picture.svelte';
  import BandAxes from './BandAxes.svelte';
  import { fallen, range, scales } from './bands';

  /** The running spectrum against what is held, so that someone can switch a lamp off and see what fell. */
  interface Props {
    rig: Rig;
    quiet: Quiet | null;
    on: boolean;
  }
  let { rig, quiet, on }: Props = $props();

  interface Held {
    name: string;
    a_weighted: number | null;
    bands: (number | null)[];
  }
  const taken = $derived<Held | null>(
    quiet && {
      name: t('the take at rest'),
      a_weighted: quiet.a_weighted_dbfs,
      bands: quiet.third_octaves.map((band) => band.level_dbfs),
    },
  );
  let own = $state.raw<Held | null>(null);
  const held = $derived(own ?? taken);
  const hz = $derived(quiet?.third_octaves.map((band) => band.centre_hz) ?? []);

  let newest = $state.raw(desk.frames.newest);
  let seen = desk.frames.count;
  let canvas = $state<HTMLCanvasElement | null>(null);

  const centres = $derived(newest?.bands_hz.length ? newest.bands_hz : hz);
  const known = $derived([...(held?.bands ?? [])].filter((value) => value !== null).concat(on ? [] : []) as number[]);
  const [low, high] = $derived(range(known));
  const most = $derived(newest && held ? fallen(newest.bands_dbfs, held.bands, newest.bands_hz) : null);
  const difference = $derived(
    newest?.a_weighted_dbfs != null && held?.a_weighted != null ? newest.a_weighted_dbfs - held.a_weighted : null,
  );

  /** The bars are drawn on a canvas: thirty rectangles with a pattern cost the browser more than the sound costs the program. */
  function paint(width: number, height: number): void {
    const context = canvas?.getContext('2d');
    if (!canvas || !context || !newest) return;
    const scale = devicePixelRatio;
    if (canvas.width !== Math.round(width * scale) || canvas.height !== Math.round(height * scale)) {
      canvas.width = Math.round(width * scale);
      canvas.height = Math.round(height * scale);
      canvas.style.width = `${width}px`;
      canvas.style.height = `${height}px`;
    }
    context.setTransform(scale, 0, 0, scale, 0, 0);
    context.clearRect(0, 0, width, height);
    const { x, y } = scales(low, high, width, height);
    const style = getComputedStyle(canvas);
    context.fillStyle = style.getPropertyValue('--room');
    context.globalAlpha = 0.55;
    newest.bands_dbfs.forEach((value, i) => {
      const centre = newest?.bands_hz[i];
      if (value === null || centre === undefined) return;
      const left = x(centre * 10 ** -0.05) + 2;
      const right = x(centre * 10 ** 0.05) - 2;
      context.fillRect(left, y(value), right - left, y(low) - y(value));
    });
    context.globalAlpha = 1;
  }

  let size = { width: 0, height: 0 };

  onMount(() => {
    let running = true;
    const tick = () => {
      if (!running) return;
      if (desk.frames.count !== seen) {
        seen = desk.frames.count;
        newest = desk.frames.newest;
        paint(size.width, size.height);
      }
      requestAnimationFrame(tick);
    };
    requestAnimationFrame(tick);
    return () => {
      running = false;
      if (desk.overview?.watch.on) void onAir.stopWatch();
    };
  });

  function hold(): void {
    if (newest) own = { name: t('what you held'), a_weighted: newest.a_weighted_dbfs, bands: [...newest.bands_dbfs] };
  }

  function remember(width: number, height: number): string {
    size = { width, height };
    return '';
  }
</script>

<div class="hunt">
  <div class="tools">
    {#if on}
      <Button onclick={() => void onAir.stopWatch()}>Stop listening</Button>
      <Button primary disabled={!newest} onclick={hold}>Hold this</Button>
      {#if own}<Button quiet onclick={() => (own = null)}>Hold the take again</Button>{/if}
    {:else}
      <Button primary disabled={rig.source === 'file'} onclick={() => void onAir.watch('rest')}>Listen in</Button>
      <span
        >{rig.source === 'file'
          ? t('The source is files, so there is nothing to listen to.')
          : t('Then switch a lamp off, move a charger, and see what falls.')}</span
      >
    {/if}
    {#each rig.things as thing (thing.name)}
      <label>
        <input
          type="checkbox"
          checked={thing.on}
          onchange={(event) =>
            void desk.do('post', '/api/things', { body: { name: thing.name, on: event.currentTarget.checked } })}
        />
        {thing.name}
      </label>
    {/each}
  </div>
  <div class="numbers" aria-live="off">
    <span>now <span class="num">{on ? level(newest?.a_weighted_dbfs) : '—'} dBFS(A)</span></span>
    <span>
      {#if held}against {held.name} <span class="num">{level(held.a_weighted)} dBFS(A)</span>{/if}
    </span>
    {#if on && difference !== null}
      <strong class="num difference">{signed(difference)} dB</strong>
      {#if most && most.db < -1.5}<span>fell most at {frequency(most.hz)}, {signed(most.db)} dB</span>{/if}
    {/if}
  </div>
  <div class="picture">
    <Picture
      numbers={columns({
        [t('third octave, Hz')]: centres,
        [t('now, dBFS')]: newest?.bands_dbfs ?? [],
        [t('held, dBFS')]: held?.bands ?? [],
      })}
      least={160}
      label="Running third-octave levels against {held?.name ?? t('nothing held yet')}"
    >
      {#snippet children(width, height)}
        {@const both = scales(low, high, width, height)}
        {remember(width, height)}
        <BandAxes x={both.x} y={both.y} {low} {high} {width} />
        {#each held?.bands ?? [] as value, i (i)}
          {@const centre = centres[i]}
          {#if value !== null && centre !== undefined}
            <line
              x1={both.x(centre * 10 ** -0.05)}
              x2={both.x(centre * 10 ** 0.05)}
              y1={both.y(value)}
              y2={both.y(value)}
              stroke="var(--aim)"
              stroke-width="2.500"
            />
          {/if}
        {/each}
      {/snippet}
    </Picture>
    <canvas bind:this={canvas} aria-hidden="true"></canvas>
  </div>
</div>

<style>
  .hunt {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .tools,
  .numbers {
    flex: none;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    font-size: 13px;
    color: var(--quiet-ink);
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    color: var(--ink);
    cursor: pointer;
  }
  .numbers {
    display: flex;
    flex-wrap: wrap;
    gap: 0 18px;
    align-items: baseline;
    min-height: 30px;
    padding-top: 6px;
    font-size: 13px;
  }
  .numbers span {
    white-space: nowrap;
  }
  .difference {
    font-size: 17px;
  }
  .picture {
    position: relative;
    flex: 1 0 160px;
  }
  canvas {
    position: absolute;
    top: 0;
    left: 0;
    max-width: 100%;
    pointer-events: none;
  }
</style>
