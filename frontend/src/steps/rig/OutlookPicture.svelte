<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';
  import type { Outlook } from '../../lib/api';
  import { level } from '../../lib/format';
  import { steps } from '../../lib/scales';
  import { LEFT, picture } from './outlook';

  interface Props {
    outlook: Outlook;
    maxSpl: number | null;
  }
  let { outlook, maxSpl }: Props = $props();
</script>

<Picture
  numbers={columns({
    [t('what')]: [t('voice at the capsule, dB SPL'), t('floor, dB(A)'), t('between them, dB')],
    [t('number')]: [outlook.talk_db_spl, outlook.floor_dba, outlook.voice_over_floor_db],
  })}
  least={230}
  label="At the capsule: voice {level(outlook.talk_db_spl, 0)} dB SPL, floor {level(
    outlook.floor_dba,
    0,
  )} dB(A), {level(outlook.voice_over_floor_db, 0)} dB between them"
>
  {#snippet children(width, height)}
    {@const p = picture(outlook, maxSpl, width, height)}
    {#each steps(-10, 140, 10) as tick (tick)}
      <line x1={p.x(tick)} x2={p.x(tick)} y1="22" y2={p.base} stroke="var(--rule)" />
      {#if tick % 20 === 0}
        <text class="num soft" x={p.x(tick)} y={p.base + 16} text-anchor="middle">{level(tick, 0)}</text>
      {/if}
    {/each}
    <text class="soft" x={p.x(140)} y={p.base + 33} text-anchor="end">dB SPL at the capsule, noise A-weighted</text>
    {#if p.limit !== null}
      <rect x={p.limit} y="22" width={Math.max(0, p.x(140) - p.limit)} height={p.base - 22} fill="url(#hatch)" />
      <text x={p.limit - 6} y="14" text-anchor="end" style="fill: var(--peak); font-weight: 600"
        >the microphone overloads</text
      >
    {/if}
    <line x1={p.floor} x2={p.floor} y1="22" y2={p.base} stroke="var(--room)" stroke-dasharray="3 3" />
    {#each p.rows as row (row.name)}
      <text x={LEFT - 12} y={row.y + 5} text-anchor="end" style={row.voice ? 'font-weight: 600' : undefined}
        >{row.name}</text
      >
      {#if row.right !== null}
        <rect
          x={row.left}
          y={row.y - 13}
          width={Math.max(2, row.right - row.left)}
          height="26"
          fill={row.voice ? 'var(--voice)' : 'url(#speckle)'}
          stroke={row.voice ? 'none' : 'var(--room)'}
          stroke-dasharray={row.assumed ? '3 3' : undefined}
        />
        {#if row.expected !== null}
          <line
            x1={row.expected}
            x2={row.expected}
            y1={row.y - 18}
            y2={row.y + 18}
            stroke="var(--aim)"
            stroke-width="2"
            stroke-dasharray="4 3"
          />
          <text class="soft" x={row.expected + 5} y={row.y + 31} text-anchor="end" style="fill: var(--aim)"
            >expected</text
          >
        {/if}
        <text class="num" x={Math.max(row.right, row.expected ?? 0) + 8} y={row.y + 4}
          >{row.text}{row.assumed ? t(' assumed until the room is recorded') : ''}</text
        >
      {:else}
        <text class="soft" x={p.x(0) + 8} y={row.y + 4}>unknown until its data are filled in</text>
      {/if}
    {/each}
    <text
      x={(p.floor + p.talk) / 2}
      y={p.voiceY + 4}
      text-anchor="middle"
      style="fill: var(--on-voice); font-weight: 600"
      >{p.talk - p.floor > 130
        ? t('{voice_over_floor_db} dB voice over floor', { voice_over_floor_db: level(outlook.voice_over_floor_db, 0) })
        : ''}</text
    >
  {/snippet}
</Picture>
