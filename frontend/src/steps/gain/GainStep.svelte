<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { level, proper, signed, withUnit } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import PeakPicture from './PeakPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const talk = $derived(overview.talk);
  const advice = $derived(overview.advice);
  const knob = $derived(overview.rig.knob);
  const step = $derived(overview.steps.find((s) => s.name === 'gain'));
  const simulated = $derived(overview.rig.source === 'simulated');
  const stale = $derived(step?.status === 'stale');
  const shift = $derived(advice?.quiet_shift_db ?? 0);

  function turn(by: number): void {
    void desk.do('POST', 'knob', { gain_db: (knob.gain_db ?? 0) + by });
  }
</script>

<Bench
  title="Gain"
  lead="Talk as you do in a call. The highest peak should fall into the aim; laughter then still has 10 dB."
>
  {#snippet evidence()}
    {#if talk}<PeakPicture {talk} quiet={overview.quiet} shiftDb={shift} />
    {:else}<Waiting
        text="Talk at your normal level, from your normal place, for half a minute. Read something aloud if nothing comes to mind."
      />{/if}
  {/snippet}
  {#snippet slip()}
    {#if talk && advice}
      {#if stale}
        <Fact name="Stale" value="" mark="fault"
          >{step?.why} Take normal talk again to see where the peaks are now.</Fact
        >
      {/if}
      <Fact
        name={advice.sentence}
        value={advice.certain ? (advice.sure_db === null ? '' : `±${advice.sure_db.toFixed(1)} dB`) : 'a guess'}
        mark={advice.verdict === 'settled' ? 'good' : 'fault'}
      >
        {proper(advice.because)}
        {#if advice.sure_db !== null}How sure: stretches of 5 s differ by that much.{/if}
      </Fact>
      <div class="knob">
        <span class="name">{simulated ? 'Preamp' : 'Preamp, turned so far'}</span>
        <button type="button" aria-label="Turn the preamp down" onclick={() => turn(-(knob.step_db ?? 1))}>−</button>
        <span class="num"
          >{knob.gain_db === null
            ? 'unknown'
            : `${simulated ? level(knob.gain_db, 0) : signed(knob.gain_db, 0)} dB`}</span
        >
        <button type="button" aria-label="Turn the preamp up" onclick={() => turn(knob.step_db ?? 1)}>+</button>
        {#if advice.verdict !== 'settled' && !stale}
          <Button primary onclick={() => turn(advice.change_db)}>
            {simulated ? 'Turn it' : 'I turned it'}
            {advice.change_db > 0 ? 'up' : 'down'}
            {Math.abs(advice.change_db)} dB
          </Button>
        {/if}
      </div>
      <Fact name="Highest peak" value={withUnit(talk.peak_dbfs, 'dBFS')}>
        Between samples <span class="num">{withUnit(talk.true_peak_dbtp, 'dBTP')}</span>; headroom
        <span class="num">{talk.peak_dbfs === null ? 'unknown' : `${level(-talk.peak_dbfs)} dB`}</span>.
      </Fact>
      <Fact name="Active speech level" value={withUnit(talk.active_level_dbfs, 'dBFS')}>
        ITU-T P.56, pauses left out; you talked {Math.round(talk.activity * 100)} % of {talk.duration_s.toFixed(0)} s.
      </Fact>
      <Fact
        name="Voice over room"
        value={withUnit(talk.snr_db, 'dB', 0)}
        mark={talk.snr_db === null ? 'none' : talk.snr_db >= 30 ? 'good' : 'fault'}
      >
        {talk.snr_db === null
          ? 'Take the room in Quiet to know it.'
          : talk.snr_db >= 30
            ? 'Enough for calls and for recording.'
            : 'Under 30 dB the room is heard in pauses. Go closer before you turn anything.'}
        {proper(advice.quiet_predicted ?? '')}
      </Fact>
      <Fact
        name="Clipping"
        value={talk.flat_tops.count ? `${talk.flat_tops.count} flat tops` : 'none'}
        mark={talk.flat_tops.count ? 'fault' : 'good'}
      >
        {talk.flat_tops.count
          ? `Cut flat at ${withUnit(talk.flat_tops.level_dbfs, 'dBFS')}: too much gain before that point.`
          : 'No run of equal extremes in the take.'}
      </Fact>
      <Fact name="Loudness" value={withUnit(talk.loudness_lufs, 'LUFS')} />
    {:else}
      <Unknown what="your level" />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={!!talk && step?.status === 'open' && advice?.verdict === 'settled'}
      disabled={!talk || stale}
      onclick={() => void desk.settle('gain')}
    >
      {advice && advice.verdict !== 'settled' && talk && !stale ? 'Settle Gain anyway' : 'Settle Gain'}
    </Button>
    <span>then Tone</span>
  {/snippet}
</Bench>

<style>
  .knob {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
  }
  .knob .name {
    flex: 1;
    font-weight: 600;
  }
  .knob .num {
    min-width: 58px;
    font-size: 14px;
    font-weight: 700;
    text-align: center;
  }
  .knob button {
    width: 30px;
    height: 30px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 700;
    cursor: pointer;
  }
</style>
