<script lang="ts">
  import { counted, marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { PATHS } from '../../lib/examples';
  import { clock } from '../../lib/format';
  import { decibelScale } from '../../lib/scales';
  import { desk } from '../../lib/state.svelte';
  import Example from '../../parts/Example.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Mark from '../../parts/Mark.svelte';
  import { PARTS } from './path-parts';
  import PathsPicture from './PathsPicture.svelte';

  /** The live run: how much of the machine it takes, gaps, and where the time of each path goes. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let width = $state(700);
  const run = $derived(overview.run);
  const paths = $derived(
    overview.destinations.flatMap(({ on, name, delay, proof }) =>
      on && delay ? [{ name, delay, delay_ms: proof && !proof.stale ? proof.delay_ms : null }] : [],
    ),
  );
  const predicted = $derived(PARTS.reduce((sum, part) => sum + (run.predicted_ms?.[part.name] ?? 0), 0));
  const x = $derived(decibelScale(0, Math.max(60, predicted), 130, Math.max(300, width - 90)));
  const load = $derived(desk.live?.load ?? run.load);
  const loudspeaker = $derived(run.loudspeaker.switch);

  function takeOut(wanted: string): void {
    void desk.do('put', '/api/run/loudspeaker', { body: { on: wanted === 'derived' ? null : wanted === 'on' } });
  }
</script>

{#snippet aloud()}
  <section aria-label="What the loudspeaker plays">
    <h3>What the loudspeaker plays</h3>
    <label class="block">
      is
      <select
        value={loudspeaker.pinned ? (loudspeaker.on ? 'on' : 'off') : 'derived'}
        onchange={(e) => takeOut(e.currentTarget.value)}
      >
        <option value="derived"
          >{loudspeaker.derived
            ? t('removed from the microphone, as derived')
            : t('left in the microphone, as derived')}</option
        >
        <option value="on">{t('removed from the microphone')}</option>
        <option value="off">{t('left in the microphone')}</option>
      </select>
      <span class="soft">{loudspeaker.because}</span>
    </label>
    {#each run.loudspeaker.facts as fact (fact.name)}
      <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
    {/each}
  </section>
{/snippet}

{#if run.live}
  <ul>
    <li><Mark kind="good" /> <span>Live since {clock(run.since ?? '')}</span></li>
    <li>
      <Mark kind={run.gaps_mark} />
      <span>{counted(run.dropouts, '{count} audible gap', '{count} audible gaps')}</span>
    </li>
    <li>
      <Mark kind={desk.live?.load_mark ?? run.load_mark} />
      <span>{marked((100 * load).toFixed(0))} % of one core, in blocks of {run.block_ms} ms</span>
    </li>
    <li>
      <Mark kind={run.priority_raised ? 'good' : 'none'} />
      <span
        >{run.priority_raised
          ? t('Runs before other programs')
          : t('Runs like any other program: the system gives no higher priority')}</span
      >
    </li>
  </ul>
  <label class="block">
    Blocks of
    <select
      value={run.block_held ? run.block_ms : 0}
      onchange={(e) =>
        void desk.do('put', '/api/run/block', { body: { block_ms: Number(e.currentTarget.value) || null } })}
    >
      <option value={0}
        >{run.block_held ? t('as measured') : t('{block_ms} ms, as measured', { block_ms: run.block_ms })}</option
      >
      {#each [2.5, 5, 10, 20, 40] as size (size)}<option value={size}>{marked(String(size))} ms</option>{/each}
    </select>
    {#each run.block_costs as [size, share] (size)}
      <span class="soft">A block of {size} ms takes {marked((100 * share).toFixed(0))} % of its own time here</span>
    {/each}
  </label>
  <label class="block">
    Waiting at each listener
    <select
      value={run.buffer_held ? run.buffer_ms : 0}
      onchange={(e) =>
        void desk.do('put', '/api/run/buffer', { body: { buffer_ms: Number(e.currentTarget.value) || null } })}
    >
      <option value={0}
        >{run.buffer_held ? t('as measured') : t('{buffer_ms} ms, as measured', { buffer_ms: run.buffer_ms })}</option
      >
      {#each [5, 10, 20, 40, 80] as size (size)}<option value={size}>{size} ms</option>{/each}
    </select>
    <span class="soft">beyond a block, for blocks that come late</span>
  </label>
  {@render aloud()}
  <h3>Where the time goes</h3>
  <PathsPicture {paths} simulated={overview.computer.simulated} />
{:else}
  <p class="soft">{run.stopped_why ?? t('Not live.')} {run.when_stopped}</p>
  {@render aloud()}
  {#if run.predicted_ms}
    {@const parts = PARTS.map((part) => ({ ...part, ms: run.predicted_ms?.[part.name] ?? 0 }))}
    <h3>Delay once live, predicted: <span class="num">{marked(predicted.toFixed(0))} ms</span></h3>
    <div bind:clientWidth={width}>
      <svg
        {width}
        height="32"
        role="img"
        aria-label="Predicted delay of a path: {parts
          .map((part) => `${part.title} ${marked(part.ms.toFixed(1))} ms`)
          .join(', ')}"
      >
        {#each parts as part, i (part.name)}
          {@const from = parts.slice(0, i).reduce((sum, before) => sum + before.ms, 0)}
          <rect
            x={x(from)}
            y="8"
            width={Math.max(1, x(from + part.ms) - x(from))}
            height="18"
            fill={i % 2 ? 'none' : 'var(--voice)'}
            stroke="var(--voice)"
            stroke-dasharray="4 3"
          />
        {/each}
        <text x="0" y="22">any listener</text>
      </svg>
    </div>
    <p class="parts">
      {#each parts as part (part.name)}<span>{part.title} <span class="num">{marked(part.ms.toFixed(1))} ms</span></span
        >{/each}
    </p>
    <p class="soft">
      The way to the program, and what the program adds, is measured by the marker once you are live. Load is unknown
      until then: this computer is tested when you start.
    </p>
    <Example how={t('Start live and send the marker to see your own.')}
      ><PathsPicture paths={PATHS} simulated /></Example
    >
  {/if}
{/if}

<style>
  .block {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 10px;
    align-items: center;
    margin-bottom: 10px;
  }
  ul {
    margin: 0 0 12px;
  }
  li {
    display: flex;
    gap: 9px;
    align-items: center;
    padding: 3px 0;
  }
  h3 {
    margin: 6px 0 4px;
    font-size: 15px;
  }
  svg {
    display: block;
  }
  .soft {
    color: var(--quiet-ink);
    fill: var(--quiet-ink);
  }
  .parts {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 20px;
    margin: 4px 0 12px;
  }
</style>
