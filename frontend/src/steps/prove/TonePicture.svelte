<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { frequency, signed } from '../../lib/format';
  import DecibelsOverFrequency from '../../parts/DecibelsOverFrequency.svelte';
  import { reach, response } from './two';

  /** How one tone differs from another: `title` says which from which. */
  interface Props {
    hz: number[];
    db: number[];
    title: string;
  }
  let { hz, db, title }: Props = $props();
  const bands = $derived(hz.map((each, k) => ({ hz: each, db: Math.max(-30, db[k] ?? 0), error_db: 0 })));
  const said = $derived(bands.map((each) => `${frequency(each.hz)} ${signed(each.db)} dB`).join(', '));
</script>

<DecibelsOverFrequency
  numbers={columns({ Hz: hz, [t('difference, dB')]: db })}
  least={160}
  reach={reach(bands)}
  label="{title}: {said}"
>
  {#snippet children(x, y, at)}
    <path d={response(bands, x, y)} fill="none" stroke="var(--voice)" stroke-width="3" stroke-linejoin="round" />
    <text x={at.left} y="18" style="font-weight: 600">{title}</text>
  {/snippet}
</DecibelsOverFrequency>
