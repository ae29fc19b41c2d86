<script lang="ts">
  import { t } from '../../lib/words';
  import type { Mix } from '../../lib/api';
  import { level, withUnit } from '../../lib/format';
  import { decibelScale } from '../../lib/scales';
  import SavePicture from '../../parts/SavePicture.svelte';

  /** What arrives at one listener: every source on one loudness scale against the aim, and what is kept out. */
  interface Props {
    name: string;
    mix: Mix;
  }
  let { name, mix }: Props = $props();
  let width = $state(280);
  let svg = $state<SVGSVGElement | null>(null);

  const ROW = 25;
  const LABEL = 96;
  /** Nothing that is meant to be heard lies lower. */
  const LOW = -42;
  const x = $derived(decibelScale(LOW, 0, LABEL, Math.max(190, width - 12)));
  const order = { voice: 0, person: 1, second: 2, return: 3, clips: 4, computer: 5, music: 6 };
  const sends = $derived([...mix.sends].sort((a, b) => order[a.kind] - order[b.kind] || a.tap.localeCompare(b.tap)));
  const height = $derived((sends.length + mix.kept_out.length) * ROW + 4);
  const low = $derived(x(mix.aim_lufs - 1));
  const high = $derived(x(mix.aim_lufs + 1));
  const spoken = $derived(
    [
      ...sends.map((s) => `${s.name}${s.tap === 'raw' ? ', raw' : ''} at ${withUnit(s.lufs, 'LUFS')}`),
      ...mix.kept_out.map((k) => t('{name} kept out', { name: k.name })),
    ].join('; '),
  );
  const label = $derived(
    t('{name} gets {spoken}. Target {aim_lufs} LUFS.', { name, spoken, aim_lufs: level(mix.aim_lufs, 0) }),
  );
  const short = (text: string) => (text.length > 14 ? `${text.slice(0, 13)}…` : text);
</script>

<div bind:clientWidth={width}>
  <svg bind:this={svg} {width} height={height + 16} role="img" aria-label={label}>
    <rect x={low} y="0" width={high - low} {height} fill="var(--aim-tint)" />
    <path d="M{low} 0v{height}M{high} 0v{height}" stroke="var(--aim)" stroke-width="1.500" />
    {#each sends as send, i (send.source + send.tap)}
      {@const top = i * ROW + 5}
      <text x="0" y={top + 12}>{short(send.tap === 'raw' ? t('{name}, raw', { name: send.name }) : send.name)}</text>
      {#if send.lufs !== null}
        <rect
          x={x(LOW)}
          y={top}
          width={Math.max(2, x(send.lufs) - x(LOW))}
          height="14"
          fill={send.kind === 'voice' ? 'var(--voice)' : 'none'}
          stroke="var(--voice)"
          stroke-width="1.500"
        />
        {#if send.duck_db > 0}
          <path d="M{x(send.lufs - send.duck_db)} {top - 2}v18" stroke="var(--voice)" stroke-dasharray="3 2" />
        {/if}
        {@const inside = x(send.lufs) > low - 44}
        {@const end = send.duck_db > 0 ? x(send.lufs - send.duck_db) : x(send.lufs)}
        {@const fits = end - x(LOW) > 46}
        <text
          class="num"
          class:on={inside && fits && send.kind === 'voice'}
          x={!inside ? x(send.lufs) + 6 : fits ? end - 5 : high + 6}
          y={top + 12}
          text-anchor={inside && fits ? 'end' : 'start'}
          style="font-weight: 700">{level(send.lufs)}</text
        >
      {:else}
        <text class="soft" x={x(LOW)} y={top + 12}>not measured</text>
      {/if}
    {/each}
    {#each mix.kept_out as kept, i (kept.source)}
      {@const top = (sends.length + i) * ROW + 5}
      <text class="soft" x="0" y={top + 12}>{short(kept.name)}</text>
      <line x1={x(LOW)} x2={low - 62} y1={top + 8} y2={top + 8} stroke="var(--edge)" stroke-dasharray="1 5" />
      <text class="soft" x={low - 6} y={top + 12} text-anchor="end">kept out</text>
    {/each}
    <text class="num soft" x={x(LOW)} y={height + 13}>−42</text>
    <text class="num soft" x={x(-20)} y={height + 13} text-anchor="middle">−20</text>
    <text class="num soft" x={x(0)} y={height + 13} text-anchor="end">0 LUFS</text>
  </svg>
  <SavePicture {svg} {label} />
</div>

<style>
  div {
    position: relative;
  }
  svg {
    display: block;
  }
  .soft {
    fill: var(--quiet-ink);
  }
  .on {
    fill: var(--on-voice);
  }
</style>
