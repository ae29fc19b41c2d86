<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Overview, Preferences } from '../../lib/api';
  import { signed } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import StageBlock from '../../parts/StageBlock.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import ClicksPicture from './ClicksPicture.svelte';
  import GatePicture from './GatePicture.svelte';
  import HumPicture from './HumPicture.svelte';
  import MovesPicture from './MovesPicture.svelte';
  import NoisePicture from './NoisePicture.svelte';
  import RingPicture from './RingPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const clean = $derived(overview.clean);
  const step = $derived(overview.steps.find((s) => s.name === 'clean'));
  const leaf = $derived(place.leafName);
  const inUse = $derived(overview.in_use !== null);
  const KINDS: Record<string, string> = {
    noise: 'noise_reduction',
    ring: 'ring_reduction',
    hum: 'hum',
    clicks: 'clicks',
    moves: 'learned',
  };
  const kind = $derived(KINDS[leaf] ?? 'gate');
  const taken = $derived(clean?.taken[kind]);
  const stages = $derived(overview.stages.filter((s) => s.step === 'clean'));
  const own = $derived(stages.find((s) => s.key === kind));
  /** From here on the room has left its profile, dB. */
  const LEFT_DB = 6;
  const moved = $derived(overview.run.live && own?.on ? (desk.live?.room_moved_db ?? null) : null);
  const warnings = $derived(overview.delivery?.warnings ?? []);
  const gate = $derived(overview.settings.filter((s) => s.stage === 'gate'));
  const isOn = (kind: string) => stages.find((each) => each.key === kind)?.on ?? false;
  const beside = $derived(leaf === 'gate' ? (clean?.noise_reduction ? 'noise' : null) : clean?.gate ? 'gate' : null);
  const value = (name: string) => gate.find((s) => s.name === name)?.value ?? 0;
  const lead = $derived(
    {
      gate: t('Two distributions and the threshold between them. Move the thresholds, or leave them automatic.'),
      noise: t('Only as strong as your listeners’ target asks for; more would make words hollow.'),
      hum: t('Each mains harmonic is tracked and removed by itself, without delay.'),
      moves: t('Your room in use: what comes and goes, above the constant noise.'),
      clicks: t('Short bursts are reduced to the level on both sides of them.'),
      ring: t('How long your room reverberates, and how strong the reverb is under your voice.'),
    }[leaf] ?? '',
  );

  function weigh(event: Event): void {
    const cut_weight = Number((event.currentTarget as HTMLInputElement).value) / 100;
    const preferences: Preferences = { ...overview.preferences, cut_weight };
    void desk.do('put', '/api/preferences', { body: preferences });
  }
</script>

<Bench title="Clean" {lead} {beside}>
  {#snippet evidence()}
    {#if !clean}
      <Waiting text="Record the room in Quiet and normal talk in Gain first: Clean needs both." />
    {:else if leaf === 'gate' && clean.gate}
      <GatePicture
        evidence={clean.gate}
        threshold={value('threshold_dbfs')}
        hysteresis={value('hysteresis_db')}
        {inUse}
        on={own?.on ?? false}
      />
    {:else if leaf === 'noise' && clean.noise_reduction}
      <NoisePicture noise={clean.noise_reduction} on={own?.on ?? false} />
    {:else if leaf === 'hum'}
      {#if clean.hum}
        <HumPicture hum={clean.hum} on={own?.on ?? false} />
      {:else}
        <Waiting text={own?.because ?? t('No mains hum stands out in your room at rest.')} />
      {/if}
    {:else if leaf === 'moves'}
      {#if clean.learned}
        <MovesPicture moves={clean.learned} on={own?.on ?? false} />
      {:else}
        <Waiting
          text={t(
            'Record the room in use in Quiet: type, move the chair, leave doors and windows as they are. Only that shows what moves.',
          )}
        />
      {/if}
    {:else if leaf === 'clicks'}
      {#if clean.clicks}
        <ClicksPicture clicks={clean.clicks} on={own?.on ?? false} />
      {:else}
        <Waiting
          text={inUse
            ? t('No short burst was found in your room in use.')
            : t('Record the room in use in Quiet: type and click as you do while you talk.')}
        />
      {/if}
    {:else if leaf === 'ring'}
      {#if clean.ring_reduction && clean.ring_reduction.octaves.length}
        <RingPicture ring={clean.ring_reduction} />
      {:else}
        <Waiting
          text={clean.ring_reduction
            ? clean.ring_reduction.decay_s === null
              ? t(
                  'You are so close that your voice does not show the room’s decay. Clap once at your place to measure it by octave.',
                )
              : t(
                  'By the decay of your words, the room decays in about {decay} s. Clap once at your place to measure it by octave.',
                  {
                    decay: marked(clean.ring_reduction.decay_s.toFixed(2)),
                  },
                )
            : t('Clap once, loudly, where your mouth is, and keep still for three seconds. Or play the sweep there.')}
        />
      {/if}
    {:else}
      <Waiting text="This take is too short to show it." />
    {/if}
  {/snippet}
  {#snippet second(shown)}
    {#if shown === 'noise' && clean?.noise_reduction}
      <NoisePicture noise={clean.noise_reduction} on={isOn('noise_reduction')} />
    {:else if clean?.gate}
      <GatePicture
        evidence={clean.gate}
        threshold={value('threshold_dbfs')}
        hysteresis={value('hysteresis_db')}
        {inUse}
        on={isOn('gate')}
      />
    {/if}
  {/snippet}
  {#snippet slip()}
    {#if clean}
      {#if step?.status === 'stale'}<Fact name="Outdated" value="" mark="fault">{step.why} Recalculate.</Fact>{/if}
      {#if clean.predicted}<Fact name="Predicted" value="" mark="none">{clean.predicted}</Fact>{/if}
      {#if leaf === 'gate'}
        {#if !inUse}
          <Fact name="The room in use" value={t('unknown')} mark="none"
            >Only the room at rest is known. Record it in use: type, move, let the fan run. The threshold belongs above
            that.</Fact
          >
        {/if}
        <label class="weigh">
          <span
            >A clipped word is worse than leaked noise by <b class="num"
              >{Math.round(clean.cut_weight * 100)} : {Math.round(100 - clean.cut_weight * 100)}</b
            ></span
          >
          <input
            type="range"
            min="10"
            max="95"
            step="5"
            value={clean.cut_weight * 100}
            aria-label="Weight of a clipped word against leaked noise"
            onchange={weigh}
          />
        </label>
      {:else if leaf === 'noise' && clean.noise_reduction}
        {#each clean.facts as fact (fact.name)}
          <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
        {/each}
        {#if moved !== null}
          <Fact name="Room now" value="{signed(moved)} dB" mark={Math.abs(moved) < LEFT_DB ? 'good' : 'fault'}>
            {Math.abs(moved) < LEFT_DB
              ? t('Against the profile, while you are live: it still fits.')
              : t(
                  'Your room has moved away from its profile. The profile follows slowly; record the room at rest again in Quiet to be exact.',
                )}
          </Fact>
        {/if}
      {:else if leaf === 'ring' && clean.ring_reduction}
        <Fact
          name="Reverb decay (RT60)"
          value={clean.ring_reduction.decay_s === null
            ? t('unknown')
            : `${marked(clean.ring_reduction.decay_s.toFixed(2))} s`}
          mark="none"
        >
          To −60 dB, {clean.ring_reduction.method === 'speech ends'
            ? t('estimated from how your words decay')
            : t('measured with a {method} (ISO 3382)', { method: clean.ring_reduction.method })}.
        </Fact>
        {#if clean.ring_reduction.ring_share_db !== null}
          <Fact name="Reverb under your voice" value="{signed(clean.ring_reduction.ring_share_db)} dB" mark="none">
            Half the distance reduces it by 6 dB, without any processing.
          </Fact>
        {/if}
      {/if}
      {#each stages.filter((s) => s.kind === kind) as stage (stage.key)}
        <StageBlock
          {stage}
          settings={overview.settings.filter((s) => s.stage === stage.key)}
          warning={warnings.find((w) => w.kind === stage.kind)?.sentence}
        />
      {/each}
      {#each leaf === 'moves' ? clean.moving_facts : [] as fact (fact.name)}
        <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
      {/each}
      {#each taken?.facts ?? [] as fact (fact.name)}
        <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
      {/each}
      {#each stages.filter((s) => s.kind !== kind) as stage (stage.key)}
        <p class="other">{stage.title}: <b>{stage.on ? t('on') : t('off')}</b>{stage.pinned ? t(', pinned') : ''}.</p>
      {/each}
    {:else}
      <Unknown what="what has to be cleaned" />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={step?.status === 'open'}
      disabled={!clean || step?.status === 'stale'}
      onclick={() => void desk.confirm('clean')}>Confirm clean</Button
    >
    <span>then Tone</span>
  {/snippet}
</Bench>

<style>
  .weigh {
    display: block;
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  .weigh input {
    width: 100%;
    accent-color: var(--ink);
  }
  .other {
    padding: 7px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
</style>
