<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { frequency, signed } from '../../lib/format';
  import DecibelsOverFrequency from '../../parts/DecibelsOverFrequency.svelte';
  import { reach, response } from './two';

  /** How the tone of now differs from that of a version. */
  interface Props {
    hz: number[];
    db: number[];
    number: number;
  }
  let { hz, db, number }: Props = $props();
  const bands = $derived(hz.map((each, k) => ({ hz: each, db: Math.max(-30, db[k] ?? 0), error_db: 0 })));
  const said = $derived(bands.map((each) => `${frequency(each.hz)} ${signed(each.db)} dB`).join(', '));
</script>

<DecibelsOverFrequency
  numbers={columns({ Hz: hz, [t('now against then, dB')]: db })}
  least={160}
  reach={reach(bands)}
  label="Tone of now against version {number}: {said}"
>
  {#snippet children(x, y, at)}
    <path d={response(bands, x, y)} fill="none" stroke="var(--voice)" stroke-width="3" stroke-linejoin="round" />
    <text x={at.left} y="18" style="font-weight: 600">tone of now against version {number}</text>
  {/snippet}
</DecibelsOverFrequency>
