<script lang="ts">
  import { counted, marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { clock } from '../../lib/format';
  import { decibelScale } from '../../lib/scales';
  import { desk } from '../../lib/state.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Mark from '../../parts/Mark.svelte';

  /** The live run: how much of the machine it takes, gaps, and where the time of each path goes. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let width = $state(700);
  const run = $derived(overview.run);
  const paths = $derived(overview.destinations.filter((entry) => entry.on && entry.delay));
  const longest = $derived(Math.max(60, ...paths.map((p) => p.proof?.delay_ms ?? p.delay!.total_ms)));
  const x = $derived(decibelScale(0, longest, 130, Math.max(300, width - 90)));
  const PARTS = [
    { name: 'block_ms', title: t('block') },
    { name: 'chain_ms', title: t('chain') },
    { name: 'mix_ms', title: t('mix') },
    { name: 'edge_ms', title: t('edge') },
  ] as const;
  const load = $derived(desk.live?.load ?? run.load);
  const loudspeaker = $derived(run.loudspeaker.switch);

  function takeOut(wanted: string): void {
    void desk.do('put', '/api/run/loudspeaker', { body: { on: wanted === 'derived' ? null : wanted === 'on' } });
  }

  function spans(entry: (typeof paths)[number]) {
    let at = 0;
    const ours = PARTS.map((part) => {
      const from = at;
      at += entry.delay![part.name];
      return { ...part, from, to: at };
    });
    const measured = entry.proof && !entry.proof.stale && entry.proof.delay_ms !== null ? entry.proof.delay_ms : null;
    return { ours, at, measured };
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
  <div bind:clientWidth={width}>
    <svg {width} height={paths.length * 34 + 22} role="img" aria-label="Delay of each path">
      {#each paths as entry, row (entry.key)}
        {@const found = spans(entry)}
        <text x="0" y={row * 34 + 18}>{entry.name}</text>
        {#each found.ours as part, i (part.name)}
          <rect
            x={x(part.from)}
            y={row * 34 + 6}
            width={Math.max(1, x(part.to) - x(part.from))}
            height="15"
            fill={i % 2 ? 'none' : 'var(--voice)'}
            stroke="var(--voice)"
          />
          {#if row === 0 && part.to - part.from > 3}
            <text class="soft small" x={(x(part.from) + x(part.to)) / 2} y={row * 34 + 33} text-anchor="middle"
              >{part.title}</text
            >
          {/if}
        {/each}
        {#if found.measured !== null && found.measured > found.at}
          <rect
            x={x(found.at)}
            y={row * 34 + 6}
            width={x(found.measured) - x(found.at)}
            height="15"
            fill="url(#speckle)"
            stroke="var(--edge)"
          />
        {/if}
        <text class="num" x={x(Math.max(found.at, found.measured ?? 0)) + 7} y={row * 34 + 18}
          >{found.measured === null
            ? t('{at} ms here', { at: marked(found.at.toFixed(0)) })
            : t('{at} ms', { at: marked(found.measured.toFixed(0)) })}</text
        >
      {/each}
      <text class="soft small" x={x(0)} y={paths.length * 34 + 16}
        >solid and open: made here; speckled: {overview.computer.simulated
          ? t('the program’s own')
          : t('the way to it')}, by the marker</text
      >
    </svg>
  </div>
{:else}
  <p class="soft">{run.stopped_why ?? t('Not live.')} {run.when_stopped}</p>
  {@render aloud()}
  {#if run.predicted_ms}
    {@const parts = PARTS.map((part) => ({ ...part, ms: run.predicted_ms?.[part.name] ?? 0 }))}
    {@const total = parts.reduce((sum, part) => sum + part.ms, 0)}
    <h3>Delay once live, predicted: <span class="num">{marked(total.toFixed(0))} ms</span></h3>
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
  .small {
    font-size: 11.5px;
  }
</style>
