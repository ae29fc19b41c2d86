<script lang="ts">
  import { codeWord } from './lib/code-words';
  import { t } from './lib/words';
  import { onMount } from 'svelte';
  import { titleOf } from './lib/address';
  import { chosenKeys } from './lib/chosen-keys.svelte';
  import { keepFocus } from './lib/focus';
  import { level, timeOfDay } from './lib/format';
  import { onKey, onKeyUp } from './lib/keys';
  import { place } from './lib/place.svelte';
  import { inItself, SPOKEN } from './lib/language';
  import { keptTheme, show, system, THEMES, type Theme } from './lib/theme';
  import { controllers } from './lib/controllers.svelte';
  import { small } from './lib/window';
  import { standing, tabIcon, tabTitle } from './lib/tab';
  import { pushToTalk } from './lib/push-to-talk';
  import { desk } from './lib/state.svelte';
  import CheckReminder from './parts/CheckReminder.svelte';
  import Findings from './parts/Findings.svelte';
  import Foot from './parts/Foot.svelte';
  import Help from './parts/Help.svelte';
  import LearningNews from './parts/LearningNews.svelte';
  import LevelDiagram from './parts/LevelDiagram.svelte';
  import LevelStrip from './parts/LevelStrip.svelte';
  import Mark from './parts/Mark.svelte';
  import MuteNews from './parts/MuteNews.svelte';
  import News from './parts/News.svelte';
  import Noticed from './parts/Noticed.svelte';
  import MuteSign from './parts/MuteSign.svelte';
  import Patterns from './parts/Patterns.svelte';
  import StepStrip from './parts/StepStrip.svelte';
  import WorkProgress from './parts/WorkProgress.svelte';
  import GuidedRun from './guided/GuidedRun.svelte';
  import CleanStep from './steps/clean/CleanStep.svelte';
  import GainStep from './steps/gain/GainStep.svelte';
  import ProveStep from './steps/prove/ProveStep.svelte';
  import QuietStep from './steps/quiet/QuietStep.svelte';
  import RigStep from './steps/rig/RigStep.svelte';
  import SendStep from './steps/send/SendStep.svelte';
  import SteadyStep from './steps/steady/SteadyStep.svelte';
  import ToneStep from './steps/tone/ToneStep.svelte';

  const overview = $derived(desk.overview);
  /** A moment without a connection, as at a restart, is not worth a word. */
  let lost = $state<number | null>(null);
  $effect(() => {
    const since = desk.lostSince;
    const waiting = setTimeout(() => (lost = since), since === null ? 0 : 1500);
    return () => clearTimeout(waiting);
  });
  const confirmed = $derived(overview?.steps.filter((step) => step.status === 'confirmed').length ?? 0);

  /** The program begins again in another language, and the page with it (`lib/state.svelte.ts`). */
  let speaking = $state(false);
  async function speak(select: HTMLSelectElement): Promise<void> {
    speaking = true;
    if (await desk.do('post', '/api/language', { body: { language: select.value } })) return;
    speaking = false;
    select.value = SPOKEN;
  }

  function chooseRig(select: HTMLSelectElement): void {
    // A run that takes everything anew is one rig's.
    place.endRun();
    if (select.value !== 'new') {
      void desk.do('post', '/api/rigs/{id}/use', { params: { path: { id: Number(select.value) } } });
      return;
    }
    const names = overview?.rigs.map((rig) => rig.name) ?? [];
    let number = names.length + 1;
    while (names.includes(t('Rig {number}', { number }))) number += 1;
    select.value = String(overview?.rig.id);
    place.step = 'rig';
    void desk.do('post', '/api/rigs', { body: { name: t('Rig {number}', { number }) } });
  }

  const stands = $derived(overview ? standing(overview.run, lost !== null, desk.trouble !== null) : 'off');
  $effect(() => {
    document.querySelector('link[rel=icon]')?.setAttribute('href', tabIcon(stands));
  });

  const inSituation = $derived(String(overview?.situations.find((each) => each.in_force)?.id ?? ''));
  async function useSituation(select: HTMLSelectElement): Promise<void> {
    const id = Number(select.value);
    // What is refused leaves it as it was.
    if (!(await desk.do('post', '/api/situations/{id}/use', { params: { path: { id } } }))) select.value = inSituation;
  }

  /** Where one is stands in the address, and Back leads to where one was. */
  let came = false;
  $effect(() => {
    const address = place.address;
    if (!overview) return;
    const title = overview.steps.find((step) => step.name === place.step)?.title ?? '';
    const run = overview.delivery ? t('Calibration') : t('Calibrate now');
    const whole = place.guided ? t('{run} · Obsidian Wren', { run }) : titleOf(place.here, title);
    document.title = tabTitle(stands, whole);
    if (location.hash !== address) history[came ? 'pushState' : 'replaceState'](null, '', address);
    came = true;
  });

  onMount(() => {
    place.theme = keptTheme();
    place.runSince = Number(localStorage.getItem('run-since')) || null;
    chosenKeys.recall();
    place.singleKeys = localStorage.getItem('single-keys') !== 'off';
    const showChosen = () => show(place.theme);
    system.addEventListener('change', showChosen);
    $effect(showChosen);
    void desk.open(place.goTo(location.hash));
    void controllers.again();
  });
</script>

<svelte:window
  onkeydown={onKey}
  onkeyup={onKeyUp}
  onblur={() => pushToTalk.end()}
  onpopstate={() => place.goTo(location.hash)}
/>

<Patterns />
{#if overview}
  <div class="page" class:old={lost !== null} {@attach keepFocus}>
    <header>
      <svg class="bird" viewBox="0 0 32 24" width="28" height="21" aria-hidden="true">
        <path
          d="M2 14c3-1 5-4 8-6 3-2.400 6-2.600 8.500-1.500L27 1l-3 7c1.500 1 3.500 1.300 6 1.500-3 .8-4.500 1.800-5.500 3.800C23 17 19 19 14.500 18.500L12 23h-1.500l1-5C8 17.500 5 16 2 14z"
          fill="currentColor"
        />
      </svg>
      <h1>Obsidian Wren</h1>
      <label class="rig">
        <span class="hidden-text">Rig</span>
        <select value={String(overview.rig.id)} onchange={(event) => chooseRig(event.currentTarget)}>
          {#each overview.rigs as rig (rig.id)}<option value={String(rig.id)}>{rig.name}: {rig.made_of}</option>{/each}
          <option value="new">Another rig, like this one…</option>
        </select>
      </label>
      {#if overview.situations.length}
        <label class="rig">
          <span class="hidden-text">Situation</span>
          <select
            value={inSituation}
            onchange={(event) => useSituation(event.currentTarget)}
            title={t('Situation: which decisions are in force')}
          >
            {#if !inSituation}<option value="" disabled>no situation</option>{/if}
            {#each overview.situations as each (each.id)}<option value={String(each.id)}>{each.name}</option>{/each}
          </select>
        </label>
      {/if}
      {#if overview.computer.simulated}
        <span
          class="simulated"
          title="The computer, the programs that listen and everything that plays are simulated. obsidian-wren serve uses your own computer."
          >simulated</span
        >
      {/if}
      {#if !place.guided}
        <button type="button" class="now" onclick={() => (place.guided = true)}
          >{overview.delivery ? t('Calibration') : t('Calibrate now')}</button
        >
      {/if}
      <span class="gap"></span>
      <span class="undo">
        <button
          type="button"
          aria-disabled={!overview.undo || undefined}
          title={overview.undo ? t('Undo: {what}', { what: overview.undo.title }) : t('Nothing to undo')}
          onclick={() => overview?.undo && void desk.do('post', '/api/undo')}>Undo</button
        >
        <button
          type="button"
          aria-disabled={!overview.redo || undefined}
          title={overview.redo ? t('Redo: {what}', { what: overview.redo.title }) : t('Nothing to redo')}
          onclick={() => overview?.redo && void desk.do('post', '/api/redo')}>Redo</button
        >
      </span>
      <!-- One of the two, in one place: nothing beside it moves. -->
      {#if desk.working !== null && !small.current}
        <WorkProgress />
      {:else}
        <span class="confirmed"
          >{overview.working_out || desk.slow || desk.working !== null
            ? t('Calculating…')
            : t('{confirmed} of {steps} confirmed', { confirmed, steps: overview.steps.length })}</span
        >
      {/if}
      <span class="live">
        <Mark kind={overview.run.live ? 'good' : 'none'} />
        {#if overview.run.live}Live <span class="num">{level(desk.live?.level_dbfs)} dBFS</span>{:else}Not live{/if}
      </span>
      <MuteSign {overview} />
      <label class="language">
        <span class="hidden-text">Language</span>
        <select value={SPOKEN} disabled={speaking} onchange={(event) => void speak(event.currentTarget)}>
          {#each LANGUAGES as tag (tag)}<option value={tag} lang={tag}>{inItself(tag)}</option>{/each}
        </select>
      </label>
      <label class="theme">
        <span class="hidden-text">Theme</span>
        <select value={place.theme} onchange={(event) => place.setTheme(event.currentTarget.value as Theme)}>
          {#each THEMES as theme (theme)}<option value={theme}>{codeWord(theme)}</option>{/each}
        </select>
      </label>
      <button type="button" class="help" onclick={() => (place.help = true)} aria-label="Keys">?</button>
    </header>
    {#if place.finished}
      <span></span>
    {:else if small.current}
      <LevelStrip points={overview.diagram} step={place.step} />
    {:else}
      <LevelDiagram
        points={overview.diagram}
        predicted={overview.diagram.some((point) => point.predicted) || !!overview.gain_plan?.quiet_predicted}
        aim={[overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]}
        live={overview.run.live ? (desk.live?.to ?? {}) : {}}
      />
    {/if}
    <StepStrip steps={overview.steps} />
    <div>
      {#if lost !== null}
        <p class="lost" role="status">
          <Mark kind="fault" />
          <span
            >No connection to the program. What you see is from {timeOfDay(lost)} and may be out of date. The page reconnects
            by itself when the program runs.</span
          >
        </p>
      {/if}
      <Findings findings={overview.findings} />
      {#if overview.derivable}
        <div class="again">
          <span>Something changed in {overview.derivable}.</span>
          <button type="button" onclick={() => void desk.do('post', '/api/derive')}>Recalculate</button>
        </div>
      {/if}
      <LearningNews />
      <MuteNews {overview} />
      <Noticed {overview} />
      <CheckReminder {overview} />
    </div>
    <main class:older={overview.working_out} aria-busy={overview.working_out || desk.slow || desk.working !== null}>
      {#if place.guided}<GuidedRun {overview} />
      {:else if place.step === 'rig'}<RigStep {overview} />
      {:else if place.step === 'quiet'}<QuietStep {overview} />
      {:else if place.step === 'gain'}<GainStep {overview} />
      {:else if place.step === 'clean'}<CleanStep {overview} />
      {:else if place.step === 'tone'}<ToneStep {overview} />
      {:else if place.step === 'steady'}<SteadyStep {overview} />
      {:else if place.step === 'prove'}<ProveStep {overview} />
      {:else}<SendStep {overview} />{/if}
    </main>
    {#if desk.trouble}
      <div class="trouble" role="alert">
        <Mark kind="fault" />
        <span>{desk.trouble}</span>
        <button type="button" onclick={() => (desk.trouble = null)}>Understood</button>
      </div>
    {/if}
    {#if !place.guided}<Foot />{/if}
  </div>
  <News {overview} />
  <Help />
{:else if desk.trouble}
  <p class="loading" role="alert">{desk.trouble}</p>
{:else}
  <p class="loading" role="status">Opening the data folder…</p>
{/if}

<style>
  .page {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 46px auto auto auto minmax(0, 1fr) auto auto;
    width: 100%;
    max-width: 1720px;
    height: 100%;
    margin: 0 auto;
    padding: 0 24px;
  }
  header {
    display: flex;
    gap: 14px;
    align-items: center;
  }
  h1 {
    font-size: 18px;
    white-space: nowrap;
  }
  .rig {
    min-width: 84px;
  }
  .rig select {
    max-width: 100%;
    text-overflow: ellipsis;
  }
  /* Where words are long these give way. */
  .language select {
    max-width: 86px;
    text-overflow: ellipsis;
  }
  .theme select {
    max-width: 92px;
    text-overflow: ellipsis;
  }
  .undo {
    display: inline-flex;
    gap: 4px;
  }
  .undo button,
  .again button {
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    cursor: pointer;
  }
  .undo button[aria-disabled='true'] {
    border-color: var(--rule);
    color: var(--quiet-ink);
    cursor: default;
  }
  .again {
    display: flex;
    gap: 12px;
    align-items: center;
    padding: 5px 12px;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
    font-size: 13px;
  }
  .again button {
    border-color: var(--ink);
    font-weight: 600;
  }
  .lost {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 7px 12px;
    margin: 0;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
    font-weight: 600;
  }
  /* What may be old is dimmed; the sentence that says so is not. */
  .old > :global(*:not(:has(.lost))) {
    opacity: 0.55;
  }
  .gap {
    flex: 1;
  }
  header > span:not(.confirmed) {
    white-space: nowrap;
  }
  .simulated {
    padding: 0 6px;
    border: 1px dashed var(--ink);
    font-size: 12px;
    line-height: 20px;
  }
  .live {
    display: inline-flex;
    gap: 7px;
    align-items: center;
  }
  .bird {
    flex: none;
  }
  select,
  .help {
    min-height: 26px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 13px;
  }
  select option {
    background: var(--sheet);
  }
  .now {
    min-height: 28px;
    padding: 0 10px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    font-weight: 600;
    white-space: nowrap;
    cursor: pointer;
  }
  .help {
    width: 26px;
    font-weight: 700;
    cursor: pointer;
  }
  main {
    min-height: 0;
    background: var(--sheet);
  }
  /* What is shown is older than the last key. */
  main.older {
    background: repeating-linear-gradient(90deg, var(--ink) 0 6px, transparent 6px 12px) top / 100% 2px no-repeat
      var(--sheet);
  }
  .confirmed {
    /* Of all that stands here this may take two lines, where words are long. */
    flex: 0 0.1 122px;
    min-width: 60px;
    line-height: 1.2;
    text-align: right;
  }
  .trouble {
    display: flex;
    gap: 10px;
    align-items: center;
    padding: 8px 12px;
    border-top: 2px solid var(--peak);
    background: var(--sheet);
  }
  .trouble span {
    flex: 1;
  }
  .trouble button {
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 600;
    cursor: pointer;
  }
  .loading {
    padding: 40px;
  }
  /* A small window: one column, and the page itself scrolls. */
  @media (max-width: 900px), (max-height: 600px) {
    .page {
      display: flex;
      flex-direction: column;
      height: auto;
      min-height: 100%;
      padding: 0 12px;
    }
    header {
      flex-wrap: wrap;
      gap: 6px 10px;
      padding: 6px 0;
    }
    .gap {
      display: none;
    }
    .rig {
      flex: 1 1 150px;
      min-width: 0;
    }
    main {
      flex: 1;
    }
  }
  /* A strip of steps says it too. */
  @media (max-width: 1180px) {
    .confirmed {
      display: none;
    }
  }
</style>
