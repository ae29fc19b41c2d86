<script lang="ts">
  import { eitherOf } from '../lib/names';
  import { t } from '../lib/words';
  import type { Overview, StepName } from '../lib/api';
  import { proper } from '../lib/format';
  import { onAir } from '../lib/on-air.svelte';
  import { place } from '../lib/place.svelte';
  import { playback } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import { taking } from '../lib/taking.svelte';
  import Button from '../parts/Button.svelte';
  import Key from '../parts/Key.svelte';
  import Mark from '../parts/Mark.svelte';
  import TakeProgress from '../parts/TakeProgress.svelte';
  import PickChoice from '../steps/send/PickChoice.svelte';
  import SystemPrograms from '../steps/send/SystemPrograms.svelte';
  import BeforeAfter from './BeforeAfter.svelte';
  import { leftOut, linesOf, SOUNDING } from './lines';

  /** A finished calibration on one page, and the way to a program that hears it. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const TO_CONFIRM: StepName[] = ['rig', 'quiet', 'gain', 'clean', 'tone', 'steady'];
  const lines = $derived(linesOf(overview));
  /** Asked for again only where it is another: the state comes anew all the time. */
  const offsKey = $derived(JSON.stringify(SOUNDING.map((step) => leftOut(overview, step)).filter((off) => off.length)));
  const offs = $derived(JSON.parse(offsKey) as string[][]);
  /** The first thing to do here is to hear it; then comes what is next. */
  let heard = $state(false);
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
    for (let number = 2; names.includes(name); number += 1) name = t('My own microphone {number}', { number });
    if (!(await desk.do('post', '/api/rigs', { body: { name } }))) return;
    await desk.changeRig({ source: 'browser' });
    again();
  }

  $effect(() => {
    place.finished = true;
    return () => (place.finished = false);
  });

  function without(step: StepName): void {
    heard = true;
    const off = leftOut(overview, step);
    if (isWithout(step) && playback.playing === 'treated') {
      playback.leaveIn();
      playback.hear('treated');
    } else playback.hearWithout(off);
  }

  function isWithout(step: StepName): boolean {
    return playback.without.length > 0 && playback.without.join() === leftOut(overview, step).join();
  }

  function findSound(): void {
    place.leaf.tone = 'find';
    place.step = 'tone';
  }

  async function check(): Promise<void> {
    place.checking = true;
    await taking.take('check');
  }
</script>

<section class="done" aria-labelledby="done">
  <div class="sound">
    <div class="top">
      <h2 id="done" tabindex="-1">{open.length ? t('This is you, before and after') : t('Calibrated')}</h2>
      <span class="soft"
        >Your own passage at one loudness: voice solid, room speckled, peaks a line, their target a bracket.</span
      >
    </div>
    {#if overview.delivery}<BeforeAfter {overview} {offs} bind:heard />{/if}
  </div>
  <div class="last">
    <h3>What changes it</h3>
    <ul>
      {#each lines as line (line.step)}
        {@const status = statusOf(line.step)}
        <li>
          <Mark kind={status === 'confirmed' ? 'good' : status === 'stale' ? 'fault' : 'none'} />
          <button type="button" class="link" onclick={() => (place.step = line.step)}>{titleOf(line.step)}</button>
          <span class="num">{line.value}</span>
          {#if leftOut(overview, line.step).length}
            <button
              type="button"
              class="link without"
              aria-pressed={isWithout(line.step)}
              aria-label={t('Hear without it: {step}', { step: titleOf(line.step) })}
              onclick={() => without(line.step)}
              >{isWithout(line.step) ? t('with it again') : t('Hear without it')}</button
            >
          {/if}
          <span class="why">{proper(line.sentence)}</span>
        </li>
      {/each}
    </ul>
    {#if overview.delivery && !open.length}
      <p class="soft">
        Warmer, clearer, denser? You listen to pairs, and your answers become numbers.
        <button type="button" class="link" onclick={findSound}>Find your sound, by ear</button>
      </p>
    {/if}
    <h3>Last: choose it where you talk</h3>
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
        Choose {eitherOf(feeds.map((feed) => feed.feed ?? '')) || t('a feed')} as the microphone in the settings of your program.
      </p>
    {/if}
    {#if overview.run.stopped_why}<p><Mark kind="fault" /> {proper(overview.run.stopped_why)}</p>{/if}
    <p>
      {#if live && proved}<Mark kind="good" /> {proofs.good} of {proofs.all} hear what they should.
      {:else if live}<Mark kind="none" /> Live. A marker of soft hiss shows what arrives.
      {:else}<Mark kind="none" /> Not live: the feeds are silent.{/if}
    </p>
    <div class="action">
      {#if open.length}
        <Button primary={heard} disabled={desk.busy} onclick={() => void useAll()}>Use all of it</Button>
      {:else if !live}
        <Button primary={heard} disabled={!overview.delivery} onclick={() => void onAir.goLive()}>Start live</Button>
      {:else}
        <Button
          primary={heard && !proved}
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
        Keys, pets, the street: what moves is unknown until your room in use is recorded. Type and click, and do not
        talk.
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
    grid-template-columns: minmax(0, 1fr) minmax(350px, 34%);
    height: 100%;
    min-height: 0;
  }
  .sound,
  .last {
    padding: 12px 20px;
    overflow: auto;
  }
  .sound {
    display: flex;
    flex-direction: column;
    gap: 6px;
  }
  .last {
    display: flex;
    flex-direction: column;
    gap: 8px;
    border-left: 1px solid var(--rule);
  }
  .top {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    align-items: baseline;
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
    margin: 0;
  }
  li {
    display: grid;
    grid-template-columns: 16px 64px minmax(0, 1fr) auto;
    gap: 0 8px;
    align-items: center;
    padding: 2px 0 4px;
    border-bottom: 1px solid var(--rule);
  }
  li .link {
    min-height: 24px;
    font-weight: 700;
    text-align: left;
  }
  li .without {
    font-weight: 400;
    font-size: 13px;
  }
  .num {
    font-weight: 700;
  }
  .why {
    grid-column: 2 / 5;
    color: var(--quiet-ink);
    font-size: 12.5px;
    line-height: 1.3;
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
    .sound,
    .last {
      padding: 10px 12px;
    }
    .last {
      border-top: 1px solid var(--rule);
      border-left: 0;
    }
  }
</style>
