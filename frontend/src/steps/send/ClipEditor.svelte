<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Clip } from '../../lib/api';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import { cut, edgeBy, heights } from './clip';
  import { typing } from '../../lib/typing.svelte';

  /** One clip opened: its picture with two ends that can be moved, its name and key. */
  interface Props {
    clip: Clip;
  }
  let { clip }: Props = $props();

  const HEIGHT = 56;
  const KEYS = ['1', '2', '3', '4', '5', '6', '7', '8', '9'];
  let width = $state(300);
  let moving = $state<'start' | 'end' | null>(null);
  let tried = $state<{ start: number; end: number } | null>(null);
  const start = $derived(tried?.start ?? clip.start_s);
  const end = $derived(tried?.end ?? clip.end_s);
  const x = $derived((seconds: number) => (seconds / clip.seconds) * width);
  const ends = $derived([
    { which: 'start', title: t('Beginning'), at: start, low: 0, high: end },
    { which: 'end', title: t('End'), at: end, low: start, high: clip.seconds },
  ] as const);
  const hears = $derived(playback.playing === `clip/${clip.id}`);

  function alter(change: Partial<Clip>): Promise<boolean> {
    const { name, key, start_s, end_s } = { ...clip, ...change };
    return desk.do('put', '/api/clips/{id}', {
      params: { path: { id: clip.id } },
      body: { name, key, start_s, end_s },
    });
  }
  function move(which: 'start' | 'end', to: number): void {
    tried = cut({ start, end }, which, to, clip.seconds);
  }
  async function keep(): Promise<void> {
    const wanted = tried;
    moving = null;
    if (wanted && (wanted.start !== clip.start_s || wanted.end !== clip.end_s)) {
      await alter({ start_s: wanted.start, end_s: wanted.end });
    }
    if (tried === wanted) tried = null;
  }
  function onKey(event: KeyboardEvent, which: 'start' | 'end'): void {
    if (event.key === 'Enter') void keep();
    if (event.key === 'Escape') moving = tried = null;
    const by = edgeBy(event.key);
    if (by === null) return;
    event.preventDefault();
    move(which, (which === 'start' ? start : end) + by);
  }
</script>

<div class="editor">
  <div class="picture" bind:clientWidth={width}>
    <svg {width} height={HEIGHT} role="group" aria-label="The sound of {clip.name}">
      <path d={heights(clip.waveform, width, HEIGHT)} stroke="var(--voice)" />
      <rect x="0" y="0" width={x(start)} height={HEIGHT} class="away" />
      <rect x={x(end)} y="0" width={Math.max(0, width - x(end))} height={HEIGHT} class="away" />
      {#each ends as edge (edge.which)}
        <g
          class="edge"
          role="slider"
          tabindex="0"
          aria-label={edge.title}
          aria-valuemin={edge.low}
          aria-valuemax={edge.high}
          aria-valuenow={edge.at}
          aria-valuetext="{marked(edge.at.toFixed(2))} s"
          onkeydown={(event) => onKey(event, edge.which)}
          onblur={() => void keep()}
          onpointerdown={(event) => {
            moving = edge.which;
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onpointermove={(event) => {
            const left = event.currentTarget.ownerSVGElement?.getBoundingClientRect().left ?? 0;
            if (moving === edge.which) move(edge.which, ((event.clientX - left) / width) * clip.seconds);
          }}
          onpointerup={() => void keep()}
        >
          <rect x={x(edge.at) - 8} y="0" width="16" height={HEIGHT} fill="transparent" />
          <line x1={x(edge.at)} x2={x(edge.at)} y1="0" y2={HEIGHT} />
          <path
            d="M{x(edge.at)} 0h{edge.which === 'start' ? 7 : -7}M{x(edge.at)} {HEIGHT}h{edge.which === 'start'
              ? 7
              : -7}"
          />
        </g>
      {/each}
    </svg>
    <p class="num">
      <span>{marked(start.toFixed(2))} s</span><span
        >{marked((end - start).toFixed(2))} s of {marked(clip.seconds.toFixed(2))} s</span
      ><span>{marked(end.toFixed(2))} s</span>
    </p>
  </div>
  <div class="fields">
    <label
      >Name <input
        {@attach typing(
          () => clip.name,
          (name) => alter({ name }),
        )}
      /></label
    >
    <label
      >Key <select value={clip.key ?? ''} onchange={(e) => void alter({ key: e.currentTarget.value || null })}>
        <option value="">none</option>
        {#each KEYS as key (key)}<option value={key}>{key}</option>{/each}
      </select></label
    >
    <button type="button" class="link" onclick={() => (hears ? playback.stopSound() : playback.hearClip(clip.id))}
      >{hears ? t('Stop') : t('Hear it')}</button
    >
    <button
      type="button"
      class="link"
      onclick={() => void desk.do('delete', '/api/clips/{id}', { params: { path: { id: clip.id } } })}>Remove</button
    >
  </div>
</div>

<style>
  .editor {
    flex-basis: 100%;
    padding: 4px 0 8px;
  }
  svg {
    display: block;
    border-bottom: 1px solid var(--rule);
    touch-action: none;
  }
  .away {
    fill: var(--sheet);
    opacity: 0.8;
  }
  .edge {
    cursor: ew-resize;
  }
  .edge line,
  .edge path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2;
  }
  .edge:focus-visible {
    outline: 2px solid var(--ink);
    outline-offset: -2px;
  }
  p {
    display: flex;
    justify-content: space-between;
    margin: 2px 0 6px;
    color: var(--quiet-ink);
    font-size: 11.5px;
  }
  .fields {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: end;
    font-size: 12px;
  }
  label {
    display: flex;
    flex-direction: column;
  }
  input,
  select {
    width: 110px;
  }
  button {
    min-height: 28px;
  }
</style>
