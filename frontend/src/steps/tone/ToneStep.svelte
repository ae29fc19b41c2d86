<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Known, Overview } from '../../lib/api';
  import { frequency, signed } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { playback } from '../../lib/playback.svelte';
  import { onAir } from '../../lib/on-air.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import { leftOutAs } from '../../parts/setting';
  import SettingRow from '../../parts/SettingRow.svelte';
  import StageBlock from '../../parts/StageBlock.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import CorridorPicture from './CorridorPicture.svelte';
  import { TASTE_NAMES } from './taste';
  import FindLeaf from './FindLeaf.svelte';
  import HissPicture from './HissPicture.svelte';
  import PartsLeaf from './PartsLeaf.svelte';
  import { PASSAGE } from './passage';
  import TargetLeaf from './TargetLeaf.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const tone = $derived(overview.tone);
  const step = $derived(overview.steps.find((s) => s.name === 'tone'));
  const leaf = $derived(place.leafName);
  const runs = (key: string) => overview.stages.some((s) => s.key === key && s.on);
  const of = (kind: string) => overview.settings.filter((s) => s.stage === kind);
  const reading = $derived(desk.progress?.purpose === 'passage');
  /** These two stand open above: their settings are what the picture shows. */
  const stages = $derived(
    overview.stages.filter(
      (s) => s.step === 'tone' && s.leaf === leaf && s.key !== 'highpass' && s.key !== 'equalizer',
    ),
  );
  const known = (line: Known) =>
    line.given ? (line.uncertainty_db === null ? '' : `±${marked(line.uncertainty_db.toFixed(1))} dB`) : t('not given');
  const equalizer = $derived(overview.stages.find((s) => s.key === 'equalizer'));
  const read = $derived(overview.takes.some((take) => take.purpose === 'passage' && !take.fault));
  /** Why a passage that was read has no tone. */
  const untold = $derived(!tone && read && equalizer && !equalizer.is_new ? equalizer.because : null);
  const warnings = $derived(overview.delivery?.warnings ?? []);
  const lead = $derived(
    {
      corridor: t(
        'What microphone and room add to your voice, as far as it can be known. The correction goes no further.',
      ),
      target: t('Correct the rig alone or shape the voice too, and bend the result.'),
      find: t('Listen to pairs of your own passage. What you prefer becomes numbers.'),
      hiss: t('Every burst of breath and every “s” of your talk, and where they are reduced.'),
      parts: t('Hear one part of your voice alone, or slide a narrow band along it.'),
    }[leaf] ?? '',
  );
</script>

<Bench title="Tone" {lead} beside={reading || !tone ? null : leaf === 'corridor' ? 'hiss' : 'corridor'}>
  {#snippet evidence()}
    {#if !reading && !tone && untold}
      <Waiting text={untold} passage={PASSAGE} />
    {:else if reading || !tone}
      <Waiting
        text={overview.quiet
          ? t('Read this aloud at your normal level. It holds the sounds of English.')
          : t('Record the room in Quiet first: the fit has to know where your voice ends and the room begins.')}
        passage={overview.quiet ? PASSAGE : undefined}
      />
    {:else if leaf === 'target'}<TargetLeaf {overview} {tone} />
    {:else if leaf === 'find'}<FindLeaf {overview} />
    {:else if leaf === 'hiss'}<HissPicture {overview} {tone} />
    {:else if leaf === 'parts'}<PartsLeaf {tone} />
    {:else}<CorridorPicture {tone} />{/if}
  {/snippet}
  {#snippet second(shown)}
    {#if tone && shown === 'hiss'}<HissPicture {overview} {tone} />{:else if tone}<CorridorPicture {tone} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if tone}
      {#if step?.status === 'stale'}<Fact name="Outdated" value="" mark="fault">{step.why} Recalculate.</Fact>{/if}
      {#if leaf === 'corridor'}
        <h3>What is known, and from what</h3>
        {#each tone.known as line (line.name)}
          <Fact name={line.name} value={known(line)} mark={line.given ? 'good' : 'none'}>{line.sentence}</Fact>
        {/each}
        {#if of('equalizer').length === 0 && equalizer}
          <Fact name="No bands" value="" mark="good">{equalizer.because}</Fact>
        {/if}
        {#each [...of('highpass'), ...of('equalizer')] as setting (setting.stage + setting.name)}<SettingRow
            {setting}
            without={runs(setting.stage) && setting.name !== 'order'
              ? leftOutAs(setting, overview.settings)
              : undefined}
          />{/each}
      {/if}
      {#if leaf === 'corridor' || leaf === 'target'}
        {#if tone.remaining}
          <Fact name={tone.remaining.name} value={tone.remaining.value} mark={tone.remaining.mark}
            >{tone.remaining.sentence}</Fact
          >
        {/if}
      {/if}
      {#if leaf === 'corridor'}
        <p class="files">
          The equalizer for other programs:
          <a href="/api/equalizer?what=biquads&rate_hz={overview.rig.rate_hz}" download>biquads, CSV</a>,
          <a href="/api/equalizer?what=impulse&rate_hz={overview.rig.rate_hz}" download>impulse response, WAV</a>,
          <a href="/api/response?what=correction" download>curve, text</a>.
        </p>
      {/if}
      {#if leaf === 'find'}
        <h3>Your present taste</h3>
        {#each TASTE_NAMES as [name, title], k (name)}
          {@const value = overview.preferences.taste?.[name] ?? 0}
          {@const sd = overview.preferences.found?.sd_db[k]}
          <Fact name={title} value="{signed(value)} dB" mark="none"
            >{sd === undefined ? '' : t('Found by ear, ±{error} dB.', { error: marked(sd.toFixed(1)) })}</Fact
          >
        {/each}
      {/if}
      {#if leaf === 'parts'}
        {#each tone.resonances as found (found.frequency_hz)}
          <Fact name="Stands out at {frequency(found.frequency_hz)}" value="{signed(found.over_db)} dB" mark="none">
            Above the octave around it.
            <button class="link" type="button" onclick={() => playback.listen('probe', found.frequency_hz)}
              >Hear it boosted</button
            >
          </Fact>
        {:else}
          <Fact name="Nothing stands out" value="" mark="good"
            >No narrow peak is more than 2 dB over the octave around it.</Fact
          >
        {/each}
      {/if}
      {#each stages as stage (stage.key)}
        <StageBlock
          {stage}
          settings={of(stage.key)}
          open={leaf === 'hiss'}
          warning={warnings.find((w) => w.kind === stage.kind)?.sentence}
        />
      {/each}
    {:else}
      <Unknown what="your tone" />
      {#if untold}
        {#each stages as stage (stage.key)}<StageBlock {stage} settings={of(stage.key)} open={leaf === 'hiss'} />{/each}
      {/if}
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={step?.status === 'open'}
      disabled={(!tone && !untold) || step?.status === 'stale'}
      onclick={() => void desk.confirm('tone')}>Confirm tone</Button
    >
    <Button
      primary={step?.status === 'stale'}
      disabled={(!tone && !untold) || desk.busy}
      onclick={() => void desk.do('post', '/api/tone/fit')}>Recalculate</Button
    >
    {#if tone && leaf === 'corridor' && overview.rig.source !== 'file'}
      <Button
        quiet
        pressed={overview.watch.on}
        title="Your voice under the target range while you talk"
        onclick={() => void (overview.watch.on ? onAir.stopWatch() : onAir.watch('talk'))}
        >{overview.watch.on ? t('Stop listening') : t('Listen in')}</Button
      >
    {/if}
    <span>then Steady</span>
  {/snippet}
</Bench>

<style>
  h3 {
    padding: 2px 0 6px;
    font-size: 14px;
  }
  .files {
    padding: 8px 0;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
