<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Checked } from '../../lib/api';
  import DecibelsOverFrequency from '../../parts/DecibelsOverFrequency.svelte';
  import { band, curve, reach } from './drift';

  /** The voice now against then, within what it may differ by anyway, and what the causes do. */
  interface Props {
    checked: Checked;
  }
  let { checked }: Props = $props();
</script>

<DecibelsOverFrequency
  numbers={columns({
    Hz: checked.bands.map((each) => each.hz),
    [t('voice now against then, dB')]: checked.bands.map((each) => each.change_db),
    [t('room, dB')]: checked.bands.map((each) => each.room_db),
    [t('what the causes explain, dB')]: checked.bands.map((each) => each.explained_db),
    [t('difference between two readings, dB')]: checked.bands.map((each) => each.spread_db),
  })}
  least={220}
  reach={reach(checked.bands)}
  under="Hz, third octaves"
  label="Voice and room now against then, in third octaves: {checked.causes.map((cause) => cause.sentence).join(' ') ||
    t('nothing drifted')}"
>
  {#snippet children(x, y, at)}
    <path d={band(checked.bands, x, y)} fill="var(--aim-tint)" />
    <path
      d={curve(checked.bands, 'room_db', x, y)}
      fill="none"
      stroke="var(--room)"
      stroke-width="2"
      stroke-dasharray="1 5"
      stroke-linecap="round"
    />
    <path
      d={curve(checked.bands, 'change_db', x, y)}
      fill="none"
      stroke="var(--voice)"
      stroke-width="3"
      stroke-linejoin="round"
    />
    <path
      d={curve(checked.bands, 'explained_db', x, y)}
      fill="none"
      stroke="var(--peak)"
      stroke-width="1.75"
      stroke-dasharray="6 4"
    />
    <g style="font-weight: 600">
      <text x={at.left} y="18">solid: your voice now, against then</text>
      <text x={at.left + 230} y="18" style="fill: var(--room)">dots: the room</text>
      {#if checked.drifted}<text x={at.left + 340} y="18" style="fill: var(--peak)"
          >dashed: what the causes explain</text
        >{/if}
      <text x={at.left} y={at.foot} style="fill: var(--aim)">shaded: how much two readings differ</text>
    </g>
  {/snippet}
</DecibelsOverFrequency>
