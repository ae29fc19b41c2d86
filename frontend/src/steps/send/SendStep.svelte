<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { level, withUnit } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import SettingRow from '../../parts/SettingRow.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import Listener from './Listener.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const SOURCES = {
    simulated: 'the simulated rig',
    browser: 'your microphone',
    file: 'your talk take, round and round,',
  };
  const delivery = $derived(overview.delivery);
  const run = $derived(overview.run);
  const step = $derived(overview.steps.find((s) => s.name === 'send'));
  const settings = $derived(overview.settings.filter((s) => s.stage === 'gain' || s.stage === 'limiter'));
  const proved = $derived(overview.destinations.some((d) => d.proof?.good && !d.proof.stale));
</script>

<Bench
  title="Send"
  lead="What each listener gets, and a marker sent through every path that shows whether it arrives treated."
>
  {#snippet evidence()}
    {#if delivery}
      <div class="listeners">
        {#each overview.destinations as destination (destination.name)}
          <Listener
            {destination}
            inputs={overview.inputs}
            {delivery}
            recording={run.recording}
            recordings={overview.recordings}
            live={run.live}
            rateHz={overview.rig.rate_hz}
          />
        {/each}
      </div>
    {:else}<Waiting text="There is nothing to send yet. Read the passage in Tone first." />{/if}
  {/snippet}
  {#snippet slip()}
    {#if delivery}
      <Fact
        name={run.live ? 'Live' : 'Not live'}
        value={run.live ? `${level(desk.live?.level_dbfs)} dBFS` : ''}
        mark={run.live ? 'good' : 'none'}
      >
        {#if run.live}
          The chain runs over {SOURCES[overview.rig.source]} into the feed; {run.dropouts} dropouts.
        {:else}
          {run.stopped_why ?? 'The feed carries silence: who listens to it hears nothing.'}
        {/if}
      </Fact>
      <Fact
        name="The feed will carry"
        value={withUnit(delivery.planned_lufs, 'LUFS')}
        mark={Math.abs((delivery.planned_lufs ?? -99) - delivery.aim_lufs) <= delivery.tolerance_lu ? 'good' : 'fault'}
      >
        Aim {level(delivery.aim_lufs, 0)} ±{delivery.tolerance_lu} LUFS. True peak {withUnit(
          delivery.planned_true_peak_dbtp,
          'dBTP',
        )}; the limiter takes {(delivery.limited_db ?? 0).toFixed(1)} dB off the highest one. The chain adds {delivery.delay_ms.toFixed(
          1,
        )} ms.
      </Fact>
      {#each settings as setting (setting.stage + setting.name)}<SettingRow {setting} />{/each}
      <p class="export">
        <a href="/api/calibration" download="calibration.json">Save the calibration as a file</a>: open JSON, for the
        command line and for keeping.
      </p>
    {/if}
  {/snippet}
  {#snippet action()}
    {#if run.live}
      <Button onclick={() => void desk.stopLive()}>Stop live</Button>
    {:else}
      <Button primary={step?.status !== 'not yet'} disabled={!delivery || desk.busy} onclick={() => void desk.goLive()}
        >Start live</Button
      >
    {/if}
    <Button
      primary={proved && step?.status === 'open' && run.live}
      disabled={!proved}
      onclick={() => void desk.settle('send')}
    >
      Settle Send
    </Button>
  {/snippet}
</Bench>

<style>
  .listeners {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    min-height: 100%;
  }
  .export {
    padding: 10px 0;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  a {
    color: var(--ink);
    font-weight: 600;
  }
</style>
