<script lang="ts">
  import { t } from '../../lib/words';
  import { codeWord } from '../../lib/code-words';
  import type { Outlook } from '../../lib/api';
  import { level } from '../../lib/format';
  import { columns } from '../../lib/numbers';
  import Picture from '../../parts/Picture.svelte';
  import { patternPath } from './placement';

  /** What a pattern hears from where, as its outline over rings of 6 dB, and where the mouth is. */
  interface Props {
    outlook: Outlook;
    pattern: string;
    angle: number;
  }
  let { outlook, pattern, angle }: Props = $props();
  const turn = $derived((angle * Math.PI) / 180);
</script>

<Picture
  numbers={columns({
    [t('degrees off the axis')]: outlook.facing.map((row) => row[0]),
    [t('heard, dB')]: outlook.facing.map((row) => row[1]),
  })}
  least={170}
  label="What a {codeWord(pattern)} hears from each direction: on its axis everything, at your {level(
    angle,
    0,
  )}° {level(outlook.off_axis_db, 1)} dB"
>
  {#snippet children(width, height)}
    {@const radius = Math.min(width / 2 - 30, height / 2 - 22)}
    {@const x = width / 2}
    {@const y = height / 2 + 2}
    {#each [0, -6, -12] as ring (ring)}
      {@const far = radius * 10 ** (ring / 20)}
      <circle cx={x} cy={y} r={far} fill="none" stroke="var(--rule)" />
      <text class="num soft" x={x + 4} y={y + far - 3}>{level(ring, 0)}</text>
    {/each}
    <line x1={x} x2={x} y1={y - radius - 6} y2={y + radius} stroke="var(--rule)" />
    <path d={patternPath(outlook.facing, x, y, radius)} fill="url(#speckle)" stroke="var(--ink)" stroke-width="2" />
    <line
      x1={x}
      y1={y}
      x2={x + radius * Math.sin(turn)}
      y2={y - radius * Math.cos(turn)}
      stroke="var(--voice)"
      stroke-width="2.5"
    />
    <circle cx={x + radius * Math.sin(turn)} cy={y - radius * Math.cos(turn)} r="6" fill="var(--voice)" />
    <text x={x - 6} y={y - radius - 8} text-anchor="end" class="soft">axis</text>
    <text
      x={x + radius * Math.sin(turn) + 10}
      y={y - radius * Math.cos(turn) + (angle < 15 ? 2 : 5)}
      style="font-weight: 600">mouth, {level(outlook.off_axis_db, 1)} dB</text
    >
  {/snippet}
</Picture>
