<script lang="ts">
  import { counted, marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { level, rate } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { onAir } from '../../lib/on-air.svelte';
  import { desk } from '../../lib/state.svelte';
  import { wide } from '../../lib/window';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import BesideLeaf from './BesideLeaf.svelte';
  import Listener from './Listener.svelte';
  import MixPicture from './MixPicture.svelte';
  import MixSlip from './MixSlip.svelte';
  import PeopleLeaf from './PeopleLeaf.svelte';
  import ProgramLeaf from './ProgramLeaf.svelte';
  import RecorderLeaf from './RecorderLeaf.svelte';
  import RunLeaf from './RunLeaf.svelte';
  import SituationsLeaf from './SituationsLeaf.svelte';
  import SystemPrograms from './SystemPrograms.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const SOURCES: Record<Overview['rig']['source'], string> = {
    simulated: t('the simulated rig'),
    system: t('your microphone'),
    browser: t('your microphone'),
    file: t('your talk take, in a loop,'),
  };
  const LEADS: Record<string, string> = {
    listeners: t(
      'What each listener gets, and what must never reach them. A marker sent through every path shows whether it arrives treated.',
    ),
    situations: t('One calibration, decided otherwise for another occasion, and switched while you are live.'),
    programs: t('The programs that listen, each with what can be set in it.'),
    beside: t('Everything that goes with your voice, its ducking, and the returns.'),
    people: t('Somebody at the same desk, with a microphone and a calibration of their own.'),
    recorder: t('Tracks of what is live, in files that are complete at any moment.'),
    run: t('What being live costs, and where the time of each path goes.'),
  };
  const real = $derived(!overview.computer.simulated);
  const delivery = $derived(overview.delivery);
  const run = $derived(overview.run);
  const leaf = $derived(place.leafName);
  const step = $derived(overview.steps.find((s) => s.name === 'send'));
  const inUse = $derived(overview.destinations.filter((entry) => entry.on));
  const chosen = $derived(inUse.find((entry) => entry.key === place.listener) ?? inUse[0]);
  const proved = $derived(overview.proofs.all > 0 && overview.proofs.good === overview.proofs.all);
  const todo = $derived(overview.left_to_do);
  const oneRate = $derived(run.one_rate);
  const picked = $derived(overview.cases.find((entry) => entry.chosen));
  const unused = $derived(overview.destinations.filter((entry) => !entry.on));
  let asked = '';

  // The mixes are derived when somebody looks at them, once for every state of things.
  $effect(() => {
    const state = JSON.stringify([overview.mixes_stale, overview.takes.length, overview.settings]);
    if (!delivery || !overview.mixes_stale || asked === state) return;
    asked = state;
    void desk.do('post', '/api/mixes');
  });
</script>

<Bench title="Send" lead={LEADS[leaf] ?? ''} beside={delivery && leaf !== 'listeners' ? 'listeners' : null}>
  {#snippet evidence()}
    {#if !delivery}
      <Waiting text="There is nothing to send yet. Read the passage in Tone first." />
    {:else if leaf === 'programs'}<ProgramLeaf destinations={overview.destinations} inputs={overview.inputs} />
    {:else if leaf === 'situations'}<SituationsLeaf {overview} />
    {:else if leaf === 'beside'}<BesideLeaf {overview} />
    {:else if leaf === 'people'}<PeopleLeaf {overview} />
    {:else if leaf === 'recorder'}<RecorderLeaf {overview} />
    {:else if leaf === 'run'}<RunLeaf {overview} />
    {:else}
      <div class="listeners">
        {#each inUse as destination (destination.key)}
          <Listener
            {destination}
            {overview}
            chosen={destination.key === chosen?.key}
            dense={inUse.length > (wide.current ? 4 : 3)}
          />
        {/each}
      </div>
      {#each overview.cut as cut (cut)}<p class="cut">Kept out, because it would loop: {cut}.</p>{/each}
    {/if}
  {/snippet}
  {#snippet second()}
    {#each inUse as entry (entry.key)}
      {#if entry.mix}
        <h3>{entry.name}</h3>
        <MixPicture name={entry.name} mix={entry.mix} />
      {/if}
    {/each}
  {/snippet}
  {#snippet slip()}
    {#if delivery}
      <Fact
        name={run.live ? t('Live') : t('Not live')}
        value={run.live ? `${level(desk.live?.level_dbfs)} dBFS` : ''}
        mark={!run.live ? 'none' : oneRate ? 'good' : 'fault'}
      >
        {#if run.live && !oneRate}
          Runs at {rate(run.rate_hz ?? 0)}, Rig says {rate(overview.rig.rate_hz)}: set both to one rate.
        {/if}
        {#if run.live}
          Over {SOURCES[overview.rig.source]}; {counted(run.dropouts, '{count} gap', '{count} gaps')}, {marked(
            (100 * (desk.live?.load ?? run.load)).toFixed(0),
          )} % of one core.
        {:else}
          {run.stopped_why ??
            (run.wanted ? t('You were live when the program ended: start live to go on.') : run.when_stopped)}
        {/if}
      </Fact>
      {#if real && leaf === 'listeners'}<SystemPrograms {overview} />{/if}
      <div class="case">
        <label>
          <strong>Set up</strong>
          <select
            value={picked?.key ?? ''}
            onchange={(e) => void desk.do('post', '/api/case', { body: { case: e.currentTarget.value } })}
          >
            {#if !picked}<option value="" disabled>your own set-up</option>{/if}
            {#each overview.cases as entry (entry.key)}<option value={entry.key}>{entry.title}</option>{/each}
          </select>
        </label>
        {#if picked}
          <p>
            In use: {inUse.map((entry) => entry.name).join(', ')}; heard there: {overview.sources
              .filter((source) => source.on)
              .map((source) => source.name)
              .join(', ')}.
          </p>
        {/if}
        {#if todo.length}
          <p>Left to do in other programs:</p>
          <ol>
            {#each todo as task (task)}<li>{task}</li>{/each}
          </ol>
        {/if}
        {#if unused.length}
          <p class="unused">
            Not in use:
            {#each unused as entry (entry.key)}
              <button
                type="button"
                class="link"
                onclick={() =>
                  void desk.do('put', '/api/destinations/{key}/use', {
                    params: { path: { key: entry.key } },
                    body: { on: true },
                  })}>{entry.name}</button
              >
            {/each}
          </p>
        {/if}
      </div>
      {#if chosen?.mix && leaf !== 'recorder' && leaf !== 'run' && leaf !== 'situations' && leaf !== 'people'}
        <MixSlip destination={chosen} />
        <p class="unused">
          <button
            type="button"
            class="link"
            onclick={() =>
              void desk.do('put', '/api/destinations/{key}/use', {
                params: { path: { key: chosen.key } },
                body: { on: false },
              })}>Take {chosen.name} out of use</button
          >
        </p>
      {/if}
      <p class="export">
        <a href="/api/calibration" download="calibration.json">Save the calibration as a file</a>: open JSON, for the
        command line and for keeping.
      </p>
    {/if}
  {/snippet}
  {#snippet action()}
    {#if run.live}
      <Button onclick={() => void onAir.stopLive()}>Stop live</Button>
    {:else}
      <Button primary={step?.status !== 'not yet'} disabled={!delivery || desk.busy} onclick={() => void onAir.goLive()}
        >Start live</Button
      >
    {/if}
    <Button
      primary={proved && step?.status === 'open' && run.live}
      disabled={!proved}
      onclick={() => void desk.confirm('send')}
    >
      Confirm send
    </Button>
  {/snippet}
</Bench>

<style>
  .listeners {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
    row-gap: 6px;
    margin-left: -14px;
  }
  h3 {
    margin-top: 10px;
    font-size: 15px;
  }
  .cut {
    padding: 6px 0;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .case {
    padding: 9px 0;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  .case label {
    display: flex;
    gap: 10px;
    align-items: center;
    font-size: 14px;
  }
  .case select {
    flex: 1;
    min-width: 0;
    min-height: 30px;
  }
  .case p {
    margin-top: 5px;
    color: var(--quiet-ink);
  }
  .case ol {
    margin: 2px 0 0;
    padding-left: 20px;
    font-weight: 600;
  }
  .unused button {
    margin-right: 8px;
    font-size: 13px;
  }
  .unused {
    padding-top: 6px;
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
