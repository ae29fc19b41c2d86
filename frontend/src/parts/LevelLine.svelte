<script lang="ts">
  import { decibelScale } from '../lib/scales';

  /** The live level on a dBFS line: solid to the RMS of the block, a thin mark at its peak, a bracket for the aim. */
  interface Props {
    level: number | null;
    peak: number | null;
    aim?: boolean;
  }
  let { level, peak, aim = false }: Props = $props();
  const WIDTH = 220;
  const x = decibelScale(-90, 0, 0, WIDTH);
</script>

<svg width={WIDTH} height="22" role="img" aria-label="Level of the take">
  <line x1="0" x2={WIDTH} y1="17" y2="17" stroke="var(--edge)" />
  {#if level !== null}<rect x="0" y="8" width={x(level)} height="6" fill="var(--voice)" />{/if}
  {#if peak !== null}<line x1={x(peak)} x2={x(peak)} y1="4" y2="17" stroke="var(--peak)" stroke-width="2" />{/if}
  {#if aim}
    <path d="M{x(-15) + 4} 2h-4v17h4M{x(-10) - 4} 2h4v17h-4" fill="none" stroke="var(--aim)" stroke-width="2" />
  {/if}
</svg>
