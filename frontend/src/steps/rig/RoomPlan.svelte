<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Room } from '../../lib/api';
  import { level } from '../../lib/format';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';

  /** The room in plan, and how far from a microphone in it a voice still stands over its own reverberation. */
  interface Props {
    room: Room;
    criticalM: number | null;
  }
  let { room, criticalM }: Props = $props();
  const long = $derived(room.length_m ?? 0);
  const broad = $derived(room.width_m ?? 0);
</script>

<Picture
  numbers={columns({
    [t('what')]: ['length, m', 'width, m', 'height, m', t('critical distance, m')],
    [t('number')]: [room.length_m ?? null, room.width_m ?? null, room.height_m ?? null, criticalM],
  })}
  least={130}
  label="The room in plan, {marked(String(long))} by {marked(String(broad))} m{criticalM === null
    ? ''
    : t('; voice and reverberation are equal {criticalM} cm from the microphone', {
        criticalM: level(criticalM * 100, 0),
      })}"
>
  {#snippet children(width, height)}
    {@const px = Math.min((width - 110) / long, (height - 48) / broad)}
    {@const left = (width - long * px) / 2 + 20}
    {@const top = 24}
    {@const x = left + (long * px) / 2}
    {@const y = top + (broad * px) / 2}
    <rect x={left} y={top} width={long * px} height={broad * px} fill="none" stroke="var(--edge)" stroke-width="3" />
    {#if criticalM !== null}
      <circle
        cx={x}
        cy={y}
        r={criticalM * px}
        fill="none"
        stroke="var(--aim)"
        stroke-width="2"
        stroke-dasharray="5 4"
      />
    {/if}
    <circle cx={x} cy={y} r="3" fill="var(--ink)" />
    <text class="num" {x} y={top - 9} text-anchor="middle">{marked(String(long))} m</text>
    <text class="num" x={left - 9} y={y + 4} text-anchor="end">{marked(String(broad))} m</text>
    <text class="soft" {x} y={top + broad * px + 18} text-anchor="middle">the room in plan, wherever you sit in it</text
    >
  {/snippet}
</Picture>
