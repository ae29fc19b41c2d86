<script lang="ts">
  import { t } from '../lib/words';
  import type { Overview, StepName } from '../lib/api';
  import { proper } from '../lib/format';
  import { onAir } from '../lib/on-air.svelte';
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';
  import { taking } from '../lib/taking.svelte';
  import Button from '../parts/Button.svelte';
  import Key from '../parts/Key.svelte';
  import Mark from '../parts/Mark.svelte';
  import TakeProgress from '../parts/TakeProgress.svelte';
  import PickChoice from '../steps/send/PickChoice.svelte';
  import SystemPrograms from '../steps/send/SystemPrograms.svelte';
  import { linesOf } from './lines';

  /** A finished calibration on one page, and the way to a program that hears it. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const TO_CONFIRM: StepName[] = ['rig', 'quiet', 'gain', 'clean', 'tone', 'steady'];
  const lines = $derived(linesOf(overview));
  const statusOf = (name: StepName) => overview.steps.find((step) => step.name === name)?.status;
  const titleOf = (name: StepName) => overview.steps.find((step) => step.name === name)?.title ?? name;
  /** What is outdated is used as physics moved it, and stays marked until it is taken again. */
  const open = $derived(TO_CONFIRM.filter((name) => statusOf(name) === 'open'));
  const feeds = $derived(overview.destinations.filter((entry) => entry.on && entry.feed));
  const live = $derived(overview.run.live);
  const proofs = $derived(overview.proofs);
  const proved = $derived(proofs.all > 0 && proofs.good === proofs.all);
  const own = $derived(overview.computer.simulated && overview.rig.source === 'simulated');

  async function useAll(): Promise<void> {
    for (const step of open) {
      if (!(await desk.do('post', '/api/confirm', { body: { step, anyway: true } }))) return;
    }
  }

  function again(): void {
    place.beginRun(Math.max(0, ...overview.takes.map((take) => take.id)));
  }

  async function ownMicrophone(): Promise<void> {
    const names = overview.rigs.map((rig) => rig.name);
    let name = t('My own microphone');
    for (let number = 2; names.includes(name); number += 1) name = `My own microphone ${number}`;
    if (!(await desk.do('post', '/api/rigs', { body: { name } }))) return;
    await desk.changeRig({ source: 'browser' });
    again();
  }

  async function check(): Promise<void> {
    place.checking = true;
    await taking.take('check');
  }
</script>

<section class="done" aria-labelledby="done">
  <div class="lines">
    <div class="top">
      <h2 id="done" tabindex="-1">{open.length ? t('This is what comes out') : t('Calibrated')}</h2>
      <span class="soft">Open any line to see why, or to change it.</span>
    </div>
    <ul>
      {#each lines as line (line.step)}
        {@const status = statusOf(line.step)}
        <li>
          <Mark kind={status === 'confirmed' ? 'good' : status === 'stale' ? 'fault' : 'none'} />
          <button type="button" class="link" onclick={() => (place.step = line.step)}>{titleOf(line.step)}</button>
          <span class="num">{line.value}</span>
          <span class="why">{proper(line.sentence)}</span>
        </li>
      {/each}
    </ul>
  </div>
  <div class="last">
    <h3>Last: pick it where you talk</h3>
    {#if overview.computer.simulated}
      {#each feeds as feed (feed.key)}
        <p class="feed">
          <strong>{feed.name}</strong>
          <PickChoice destination={feed} inputs={overview.inputs} />
        </p>
      {/each}
    {:else}
      <SystemPrograms {overview} />
    {/if}
    {#if !overview.computer.missing}
      <p class="soft">
        Not open yet? Choose {feeds.map((feed) => `“${feed.feed}”`).join(' or ') || 'a feed'} as the microphone in its settings.
      </p>
    {/if}
    {#if overview.run.stopped_why}<p><Mark kind="fault" /> {proper(overview.run.stopped_why)}</p>{/if}
    <p>
      {#if live && proved}<Mark kind="good" /> {proofs.good} of {proofs.all} get what is meant.
      {:else if live}<Mark kind="none" /> Live. A marker of soft hiss shows what arrives.
      {:else}<Mark kind="none" /> Not live: the feeds are silent.{/if}
    </p>
    <div class="action">
      {#if open.length}
        <Button primary disabled={desk.busy} onclick={() => void useAll()}>Use all of it</Button>
      {:else if !live}
        <Button primary disabled={!overview.delivery} onclick={() => void onAir.goLive()}>Start live</Button>
      {:else}
        <Button
          primary={!proved}
          disabled={overview.run.marker === 'sending'}
          onclick={() => void desk.do('post', '/api/marker')}
          >{overview.run.marker === 'sending' ? t('The marker is on its way…') : t('Check what arrives')}</Button
        >
        <Button onclick={() => void onAir.stopLive()}>Stop live</Button>
      {/if}
    </div>
    {#if desk.progress?.purpose === 'in-use'}
      <div class="action"><TakeProgress progress={desk.progress} /></div>
    {:else if !overview.in_use && overview.delivery}
      <p class="soft">
        Keys, pets, the street: what moves is unknown until your room in use is recorded. Type and click, and say
        nothing.
      </p>
      <div class="action">
        <Button quiet disabled={desk.busy || live} onclick={() => void taking.take('in-use')}
          >Record the room in use, {overview.seconds['in-use']} s</Button
        >
      </div>
    {/if}
    <div class="action">
      {#if own}
        <Button quiet onclick={() => void ownMicrophone()}>Start with your own microphone</Button>
      {/if}
      <Button quiet onclick={again}>Calibrate again</Button>
      <Button quiet disabled={!overview.delivery} onclick={() => void check()}>Check, 20 s</Button><Key does="take" />
    </div>
  </div>
</section>

<style>
  .done {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(330px, 31%);
    height: 100%;
    min-height: 0;
  }
  .lines,
  .last {
    padding: 12px 20px;
    overflow: auto;
  }
  .last {
    display: flex;
    flex-direction: column;
    gap: 10px;
    border-left: 1px solid var(--rule);
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    align-items: baseline;
    padding-bottom: 8px;
  }
  h2 {
    font-size: 21px;
  }
  h2:focus {
    outline: none;
  }
  h3 {
    font-size: 17px;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  ul {
    padding: 0;
  }
  li {
    display: grid;
    grid-template-columns: 16px 72px 130px minmax(0, 1fr);
    gap: 4px 10px;
    align-items: center;
    min-height: 42px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  li .link {
    min-height: 24px;
    font-weight: 700;
    text-align: left;
  }
  .num {
    font-weight: 700;
  }
  .why {
    font-size: 13px;
    line-height: 1.35;
  }
  .feed {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    align-items: center;
    justify-content: space-between;
  }
  .action {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
  }
  @media (max-width: 900px), (max-height: 600px) {
    .done {
      display: block;
      height: auto;
    }
    .lines,
    .last {
      padding: 10px 12px;
    }
    .last {
      border-top: 1px solid var(--rule);
      border-left: 0;
    }
  }
  @media (max-width: 640px) {
    li {
      grid-template-columns: 16px minmax(0, 1fr) auto;
    }
    .why {
      grid-column: 2 / 4;
    }
  }
</style>
