<script lang="ts">
  /** A recording from its beginning to its end, by the highest peak of each stretch, 0 to 1. */
  interface Props {
    waveform: number[];
    width?: number;
    height?: number;
  }
  let { waveform, width = 160, height = 30 }: Props = $props();
  const half = $derived(height / 2);
  const step = $derived(width / Math.max(1, waveform.length));
  const path = $derived(
    waveform
      .map((high, i) => {
        const reach = Math.max(0.3, (half - 1) * high);
        return `M${(i * step + step / 2).toFixed(1)} ${half - reach}v${2 * reach}`;
      })
      .join(''),
  );
</script>

<svg viewBox="0 0 {width} {height}" {width} {height} role="img" aria-label="Waveform"
  ><path d="M0 {half}h{width}" stroke="var(--rule)" /><path
    d={path}
    stroke="var(--voice)"
    stroke-width={0.8 * Math.min(1, step)}
  /></svg
>

<style>
  svg {
    max-width: 100%;
  }
</style>
