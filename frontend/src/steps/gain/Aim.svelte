<script lang="ts">
  import { level } from '../../lib/format';
  import { MARGIN } from './peaks';

  /** The aim as a bracket over a dBFS line. */
  interface Props {
    x: (db: number) => number;
    base: number;
    aim: number[];
  }
  let { x, base, aim }: Props = $props();
  const left = $derived(x(aim[0] ?? -15));
  const right = $derived(x(aim[1] ?? -10));
</script>

<path
  d="M{left + 6} {MARGIN.top - 4}h-6v{base - MARGIN.top + 4}"
  fill="none"
  stroke="var(--aim)"
  stroke-width="2.500"
/>
<path
  d="M{right - 6} {MARGIN.top - 4}h6v{base - MARGIN.top + 4}"
  fill="none"
  stroke="var(--aim)"
  stroke-width="2.500"
/>
<text x={right} y="18" text-anchor="end" style="fill: var(--aim); font-weight: 600">target for the highest peak</text>
<text x={right} y="34" text-anchor="end" style="fill: var(--aim)">{level(aim[0], 0)} to {level(aim[1], 0)}</text>
