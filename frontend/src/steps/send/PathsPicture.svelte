<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Path } from '../../lib/examples';
  import { decibelScale } from '../../lib/scales';
  import { PARTS } from './path-parts';

  /** Where the time goes on the way to each listener, in milliseconds from left to right. */
  interface Props {
    paths: Path[];
    /** Whether what lies beyond is the program's own, as in a simulation. */
    simulated: boolean;
  }
  let { paths, simulated }: Props = $props();
  let width = $state(700);
  const totals = $derived(paths.map((path) => PARTS.reduce((sum, part) => sum + path.delay[part.name], 0)));
  const longest = $derived(Math.max(60, ...paths.map((path, i) => path.delay_ms ?? totals[i] ?? 0)));
  const x = $derived(decibelScale(0, longest, 130, Math.max(300, width - 90)));

  function spans(path: Path) {
    let at = 0;
    return PARTS.map((part) => {
      const from = at;
      at += path.delay[part.name];
      return { ...part, from, to: at };
    });
  }
</script>

<div bind:clientWidth={width}>
  <svg {width} height={paths.length * 34 + 22} role="img" aria-label="Delay of each path">
    {#each paths as path, row (row)}
      {@const at = totals[row] ?? 0}
      <text x="0" y={row * 34 + 18}>{path.name}</text>
      {#each spans(path) as part, i (part.name)}
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
      {#if path.delay_ms !== null && path.delay_ms > at}
        <rect
          x={x(at)}
          y={row * 34 + 6}
          width={x(path.delay_ms) - x(at)}
          height="15"
          fill="url(#speckle)"
          stroke="var(--edge)"
        />
      {/if}
      <text class="num" x={x(Math.max(at, path.delay_ms ?? 0)) + 7} y={row * 34 + 18}
        >{path.delay_ms === null
          ? t('{at} ms here', { at: marked(at.toFixed(0)) })
          : t('{at} ms', { at: marked(path.delay_ms.toFixed(0)) })}</text
      >
    {/each}
    <text class="soft small" x={x(0)} y={paths.length * 34 + 16}
      >solid and open: made here; speckled: {simulated ? t('the program’s own') : t('the way to it')}, by the marker</text
    >
  </svg>
</div>

<style>
  svg {
    display: block;
  }
  .soft {
    fill: var(--quiet-ink);
  }
  .small {
    font-size: 11.5px;
  }
</style>
