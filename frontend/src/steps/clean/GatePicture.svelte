<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { tryGate, type GateCounts, type GateEvidence } from '../../lib/api';
  import { level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import { at } from '../../lib/tape';
  import Picture from '../../parts/Picture.svelte';
  import { FROM_DBFS, levelAt, MARGIN, scaleX, shapes, told } from './gate';

  /** Words over the line, the room under it, and the two thresholds as edges that can be moved. */
  interface Props {
    evidence: GateEvidence;
    threshold: number;
    hysteresis: number;
    inUse: boolean;
    on: boolean;
  }
  /** How wide the words at an edge may be, in pixels. */
  const EDGE_WORDS = 120;

  let { evidence, threshold, hysteresis, inUse, on }: Props = $props();

  let moving = $state<'open' | 'close' | null>(null);
  let tried = $state<{ open: number; close: number } | null>(null);
  let counts = $state<GateCounts | null>(null);
  let asking = false;
  const open = $derived(tried?.open ?? threshold);
  const close = $derived(tried?.close ?? threshold - hysteresis);
  const said = $derived(told(counts ?? evidence.counts));
  const now = $derived(
    playback.position !== null && playback.tape.frames
      ? at(playback.tape.frames.peak_dbfs, playback.tape.frames.step_s, playback.position)
      : null,
  );

  function move(which: 'open' | 'close', to: number): void {
    const bounded = Math.min(0, Math.max(-90, to));
    const next =
      which === 'open'
        ? { open: bounded, close: Math.min(bounded, bounded - (open - close)) }
        : { open, close: Math.min(open, Math.max(open - 20, bounded)) };
    tried = next;
    void ask();
  }

  /** One question at a time; the newest edge is always asked about in the end. */
  async function ask(): Promise<void> {
    if (asking) return;
    asking = true;
    let asked: typeof tried = null;
    while (tried && tried !== asked) {
      asked = tried;
      const found = await tryGate(asked.open, asked.open - asked.close).catch(() => null);
      if (found) counts = found;
    }
    asking = false;
  }

  async function keep(): Promise<void> {
    const wanted = tried;
    moving = null;
    if (!wanted) return;
    // Asked before anything is kept: with another threshold another hysteresis is derived.
    const closes = Math.abs(wanted.open - wanted.close - hysteresis) > 0.04;
    const pin = (name: string, value: number) =>
      desk.do('patch', '/api/settings', {
        body: { stage: 'gate', name, value: Math.round(value * 10) / 10, pinned: true },
      });
    if (Math.abs(wanted.open - threshold) > 0.04) await pin('threshold_dbfs', wanted.open);
    if (closes) await pin('hysteresis_db', wanted.open - wanted.close);
    tried = null;
    counts = null;
  }

  function giveUp(): void {
    moving = tried = counts = null;
  }

  function onKey(event: KeyboardEvent, which: 'open' | 'close'): void {
    const by = { ArrowLeft: -0.5, ArrowRight: 0.5, ArrowDown: -0.5, ArrowUp: 0.5, PageDown: -3, PageUp: 3 }[event.key];
    if (event.key === 'Enter') void keep();
    if (event.key === 'Escape') giveUp();
    if (by === undefined) return;
    event.preventDefault();
    move(which, (which === 'open' ? open : close) + by);
  }
</script>

<div class="gate">
  <p class="told" aria-live="polite">
    {#if !on}With a gate here:{/if}
    {said.join('; ')}.
    {#if tried && !moving}
      <button type="button" onclick={() => void keep()}>Keep these thresholds</button>
      <button type="button" onclick={giveUp}>Back</button>
    {/if}
  </p>
  <div class="picture">
    <Picture
      numbers={columns({
        [t('dBFS from')]: evidence.speech.map((_, i) => FROM_DBFS + i),
        [t('share of your words')]: evidence.speech,
        [t('share of the room')]: evidence.room,
      })}
      handles
      least={200}
      label="How often words and the room {inUse
        ? t('in use')
        : t('at rest')} lie at each level, as the gate hears them. It opens at {level(open)} and closes at {level(
        close,
      )} dBFS."
    >
      {#snippet children(width, height)}
        {@const x = scaleX(width)}
        {@const s = shapes(evidence, width, height)}
        {@const likely = Boolean(s.likely.speech)}
        {@const bottom = height - MARGIN.bottom}
        <!-- Edges that lie close together are still taken hold of apart, each from its own side. -->
        {@const inner = Math.min(9, (x(open) - x(close)) / 2)}
        <rect x={x(0)} y={MARGIN.top} width="10" height={bottom - MARGIN.top} fill="url(#hatch)" />
        {#each steps(-90, 0, 10) as tick (tick)}
          <line x1={x(tick)} x2={x(tick)} y1={MARGIN.top} y2={bottom} stroke="var(--rule)" />
          <text class="num soft" x={x(tick)} y={bottom + 16} text-anchor="middle">{level(tick, 0)}</text>
        {/each}
        <text class="soft" x={x(0)} y={bottom + 31} text-anchor="end">dBFS, as the gate hears it</text>
        <path d={s.speech} fill="var(--voice)" opacity={likely ? 0.4 : 1} />
        {#if likely}<path d={s.likely.speech} fill="var(--voice)" />{/if}
        <path d={s.room} fill="url(#speckle)" stroke="var(--room)" />
        {#if likely}<path d={s.likely.room} fill="var(--room)" />{/if}
        <line x1={x(-90)} x2={x(0)} y1={s.middle} y2={s.middle} stroke="var(--edge)" />
        <text x={x(-90)} y={s.middle - 8} style="font-weight: 600"
          >your words{#if likely}<tspan class="soft" style="font-weight: 400">, solid: likely speech</tspan>{/if}</text
        >
        <text x={x(-90)} y={s.middle + 18} style="fill: var(--room); font-weight: 600"
          >the room {inUse ? t('in use') : t('at rest')}</text
        >
        {#if now !== null}
          <line
            x1={x(now)}
            x2={x(now)}
            y1={MARGIN.top}
            y2={bottom}
            stroke="var(--peak)"
            stroke-width="2"
            stroke-dasharray="3 3"
          />
        {/if}
        <rect
          x={x(close)}
          y={MARGIN.top - 4}
          width={x(open) - x(close)}
          height={bottom - MARGIN.top + 4}
          fill="var(--aim-tint)"
          opacity="0.7"
        />
        {#each [['open', open, t('opens at')], ['close', close, t('closes at')]] as const as [which, value, word] (which)}
          <line
            x1={x(value)}
            x2={x(value)}
            y1={MARGIN.top - 4}
            y2={bottom}
            stroke="var(--aim)"
            stroke-width={which === 'open' ? 3 : 1.5}
          />
          <!-- Beside the left edge there is no room before it: there it stands above the other. -->
          {@const narrow = which === 'close' && x(value) < EDGE_WORDS}
          <text
            x={narrow ? 0 : x(value) + (which === 'open' ? 6 : -6)}
            y={MARGIN.top - (narrow && x(open) < EDGE_WORDS ? 24 : 10)}
            text-anchor={which === 'open' || narrow ? 'start' : 'end'}
            style="fill: var(--aim); font-weight: 600">{word} {level(value)}</text
          >
          <rect
            class="edge"
            role="slider"
            tabindex="0"
            aria-label={which === 'open' ? t('Gate opens at') : t('Gate closes at')}
            aria-valuemin={-90}
            aria-valuemax={0}
            aria-valuenow={value}
            aria-valuetext="{level(value)} dBFS"
            x={which === 'open' ? x(value) - inner : x(value) - 9}
            y={MARGIN.top - 4}
            width={9 + inner}
            height={bottom - MARGIN.top + 4}
            fill="transparent"
            onkeydown={(event) => onKey(event, which)}
            onpointerdown={(event) => {
              moving = which;
              event.currentTarget.setPointerCapture(event.pointerId);
            }}
            onpointermove={(event) => {
              if (!moving) return;
              const svg = event.currentTarget.ownerSVGElement!.getBoundingClientRect();
              move(moving, levelAt(event.clientX - svg.left, width));
            }}
            onpointerup={() => void keep()}
          />
        {/each}
      {/snippet}
    </Picture>
  </div>
</div>

<style>
  .gate {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .told {
    flex: none;
    min-height: 30px;
    font-weight: 600;
  }
  .told button {
    margin-left: 8px;
    padding: 2px 8px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 600;
    cursor: pointer;
  }
  .picture {
    flex: 1 0 200px;
  }
  .edge {
    cursor: ew-resize;
  }
  .edge:focus-visible {
    outline: 2px solid var(--aim);
  }
</style>
