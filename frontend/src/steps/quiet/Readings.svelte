<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Quiet } from '../../lib/api';
  import { frequency, level, signed, withUnit } from '../../lib/format';
  import Fact from '../../parts/Fact.svelte';

  /** Every reading of a room take; the causes above say what they mean. */
  let { quiet }: { quiet: Quiet } = $props();
  const clicks = $derived(quiet.transients);
</script>

<Fact name="Level" value={withUnit(quiet.rms_dbfs, 'dBFS')}>
  RMS by AES17. A-weighted <span class="num">{withUnit(quiet.a_weighted_dbfs, 'dBFS')}</span>; weighted as ITU-R BS.468
  <span class="num">{withUnit(quiet.itu468_dbfs, 'dBFS')}</span> (its network alone, RMS).
</Fact>
<Fact name="Spread over time" value={`${marked(quiet.spread_db.toFixed(1))} dB`}>
  {marked(quiet.duration_s.toFixed(0))} s. Half of all 10 ms frames are under
  <span class="num">{level(quiet.percentiles_dbfs.p50)}</span>, 10 % under
  <span class="num">{level(quiet.percentiles_dbfs.p10)}</span>, 99 % under
  <span class="num">{level(quiet.percentiles_dbfs.p99)} dBFS</span>.
</Fact>
<Fact name="Trend" value={`${signed(quiet.trend.db_per_minute)} dB/min`}>
  {quiet.trend.sentence}
</Fact>
<Fact
  name="Mains hum"
  value={quiet.hum
    ? `${marked(quiet.hum.mains_hz.toFixed(2))} Hz, ${level(quiet.hum.level_dbfs)} dBFS`
    : t('none found')}
>
  {quiet.hum_sentence}
</Fact>
{#each quiet.buzz as comb (comb.spacing_hz)}
  <Fact
    name="Buzz"
    value={t('{lines} lines, {level_dbfs} dBFS', { lines: comb.lines, level_dbfs: level(comb.level_dbfs) })}
    >Every {marked(comb.spacing_hz.toFixed(1))} Hz from {frequency(comb.low_hz)} to {frequency(comb.high_hz)}.</Fact
  >
{/each}
{#each quiet.tones as tone (tone.hz)}
  <Fact name="Steady tone" value={`${frequency(tone.hz)}, ${level(tone.level_dbfs)} dBFS`}>
    {marked(tone.prominence_db.toFixed(0))} dB over the noise beside it: prominent by ECMA-418-1.
  </Fact>
{/each}
<Fact name="Rumble under 60 Hz" value={withUnit(quiet.rumble_dbfs, 'dBFS')} />
<Fact
  name="Clicks"
  value={clicks.count
    ? t('{count}, {rate} a minute', { count: clicks.count, rate: marked(clicks.per_minute.toFixed(0)) })
    : t('none')}
>
  {#if clicks.levels_dbfs}
    Peaks from <span class="num">{level(clicks.levels_dbfs.p10)}</span> over
    <span class="num">{level(clicks.levels_dbfs.p50)}</span> to
    <span class="num">{level(clicks.levels_dbfs.p90)} dBFS</span> (10, 50, 90 %); strongest band
    {frequency(
      clicks.third_octaves.reduce((a, b) => ((b.level_dbfs ?? -200) > (a.level_dbfs ?? -200) ? b : a)).centre_hz,
    )}.
  {:else}No key, knock or crackle in the take.{/if}
</Fact>
<Fact
  name="Depth"
  value={quiet.grid_bits === null ? t('unknown') : t('{grid_bits} bit', { grid_bits: quiet.grid_bits })}
>
  {quiet.effective_bits === null
    ? ''
    : t('{effective_bits} bits are above this noise floor.', {
        effective_bits: marked(quiet.effective_bits.toFixed(1)),
      })}
  Offset <span class="num">{signed(quiet.dc_offset * 100, 3)} %</span>.
</Fact>
<Fact name="Gaps" value={quiet.dropouts.count ? `${quiet.dropouts.count}` : t('none')}>
  {quiet.dropouts.count
    ? t('{total_s} ms together, the longest {longest_s} ms.', {
        total_s: marked((quiet.dropouts.total_s * 1000).toFixed(0)),
        longest_s: marked((quiet.dropouts.longest_s * 1000).toFixed(0)),
      })
    : t('Every sample moved.')}
</Fact>
