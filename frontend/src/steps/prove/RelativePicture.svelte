<script lang="ts">
  import { t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import type { Two } from '../../lib/api';
  import { frequency, signed } from '../../lib/format';
  import DecibelsOverFrequency from '../../parts/DecibelsOverFrequency.svelte';
  import { certainty, reach, response } from './two';

  /** The second microphone against the first, with how sure that is. */
  interface Props {
    two: Pick<Two, 'first' | 'second' | 'bands'>;
  }
  let { two }: Props = $props();
  const said = $derived(
    two.bands
      .filter((each) => each.db !== null)
      .map((each) => `${frequency(each.hz)} ${signed(each.db ?? 0)} dB`)
      .join(', '),
  );
</script>

<DecibelsOverFrequency
  numbers={columns({
    Hz: two.bands.map((each) => each.hz),
    [t('second against first, dB')]: two.bands.map((each) => each.db),
    [t('standard error, dB')]: two.bands.map((each) => each.error_db),
  })}
  least={150}
  reach={reach(two.bands)}
  label="{two.second} against {two.first}, in third octaves: {said}"
>
  {#snippet children(x, y, at)}
    <path d={certainty(two.bands, x, y)} fill="var(--aim-tint)" />
    <path d={response(two.bands, x, y)} fill="none" stroke="var(--voice)" stroke-width="3" stroke-linejoin="round" />
    <text x={at.left} y="18" style="font-weight: 600">{two.second} against {two.first}, same voice</text>
    <text
      x={at.right}
      y={at.right - at.left < 440 ? 34 : 18}
      text-anchor="end"
      style="fill: var(--aim); font-weight: 600">shaded: 95 % certain</text
    >
  {/snippet}
</DecibelsOverFrequency>
