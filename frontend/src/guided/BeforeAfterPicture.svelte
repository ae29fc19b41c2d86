<script lang="ts">
  import { t } from '../lib/words';
  import type { BeforeAfter } from '../lib/api';
  import { level, signed, withUnit } from '../lib/format';
  import { columns } from '../lib/numbers';
  import { playback } from '../lib/playback.svelte';
  import { decibelScale, steps } from '../lib/scales';
  import Picture from '../parts/Picture.svelte';
  import { edge, LOWEST, ribbons } from './before-after';

  /** One passage raw and treated at one loudness, side by side on one scale: the voice solid, the room speckled under it. */
  interface Props {
    shown: BeforeAfter;
    aim: number[];
  }
  let { shown, aim }: Props = $props();
  const M = { left: 44, right: 12, top: 12, bottom: 24, between: 40 };
  const found = $derived(shown.found);
  const count = $derived(found.before.low_dbfs.length);
  const halves = $derived([
    { version: 'raw' as const, name: t('raw, {raised} dB', { raised: signed(found.raised_db) }), track: found.before },
    { version: 'treated' as const, name: t('treated'), track: found.after },
  ]);
</script>

<Picture
  least={200}
  numbers={columns({
    [t('s from')]: found.before.low_dbfs.map((_, k) => k * shown.step_s),
    [t('raw voice from, dBFS')]: found.before.low_dbfs,
    [t('to')]: found.before.high_dbfs,
    [t('raw room, dBFS(A)')]: found.before.room_dbfs_a,
    [t('treated voice from, dBFS')]: found.after.low_dbfs,
    [t('to, treated')]: found.after.high_dbfs,
    [t('treated room, dBFS(A)')]: found.after.room_dbfs_a,
  })}
  label={t('Your passage at one loudness. Room in pauses: {before} raw, {after} treated.', {
    before: withUnit(found.room_before_dbfs_a, 'dBFS(A)'),
    after: withUnit(found.room_after_dbfs_a, 'dBFS(A)'),
  })}
>
  {#snippet children(width, height)}
    {@const base = height - M.bottom}
    {@const y = decibelScale(LOWEST, 0, base, M.top)}
    {@const half = (width - M.left - M.right - M.between) / 2}
    {#each steps(-80, 0, 20) as tick (tick)}
      <line x1={M.left} x2={width - M.right} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
      <text class="num soft" x={M.left - 6} y={y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
    {/each}
    <text class="soft" x={M.left - 6} y={base + 16} text-anchor="end">dBFS</text>
    {#each halves as part, at (part.version)}
      {@const left = M.left + at * (half + M.between)}
      {@const x = (step: number) => left + (half * step) / Math.max(1, count)}
      {@const room = edge(part.track.room_dbfs_a, x, y)}
      <rect x={left} y={M.top - 8} width={half} height="6" fill="url(#hatch)" />
      {#if room.length}
        {@const line = room.map((p) => `${p.x} ${p.y}`).join('L')}
        <path d="M{room[0]?.x} {base}L{line}L{room.at(-1)?.x} {base}Z" fill="url(#speckle)" />
        <path d="M{line}" fill="none" stroke="var(--room)" />
      {/if}
      {#each ribbons(part.track.low_dbfs, part.track.high_dbfs, x, y) as ribbon (ribbon)}
        <path d={ribbon} fill="var(--voice)" />
      {/each}
      <path
        d="M{part.track.peak_dbfs
          .map((peak, k) => `${x(k + 0.5)} ${y(Math.min(0, Math.max(LOWEST, peak ?? LOWEST)))}`)
          .join('L')}"
        fill="none"
        stroke="var(--peak)"
      />
      <text
        x={left}
        y={base + 16}
        style:font-weight={playback.playing === part.version ? 700 : 600}
        style:text-decoration={playback.playing === part.version ? 'underline' : 'none'}>{part.name}</text
      >
      {#if playback.playing === part.version && playback.position !== null}
        {@const now = x(playback.position / shown.step_s)}
        <line x1={now} x2={now} y1={M.top} y2={base} stroke="var(--peak)" stroke-width="2" />
      {/if}
    {/each}
    {@const right = M.left + half + M.between}
    <path
      d="M{right - 8} {y(aim[1] ?? 0)}h-8v{y(aim[0] ?? 0) - y(aim[1] ?? 0)}h8"
      fill="none"
      stroke="var(--aim)"
      stroke-width="2.5"
    />
  {/snippet}
</Picture>
