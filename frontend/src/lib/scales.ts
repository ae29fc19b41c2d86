import { scaleLinear, scaleLog, type ScaleLinear, type ScaleLogarithmic } from 'd3-scale';

export function frequencyScale(
  lowHz: number,
  highHz: number,
  left: number,
  right: number,
): ScaleLogarithmic<number, number> {
  return scaleLog().domain([lowHz, highHz]).range([left, right]);
}

export function decibelScale(low: number, high: number, bottom: number, top: number): ScaleLinear<number, number> {
  return scaleLinear().domain([low, high]).range([bottom, top]).clamp(true);
}

/** Whole steps of a size between two levels. */
export function steps(low: number, high: number, size: number): number[] {
  const first = Math.ceil(low / size) * size;
  return Array.from({ length: Math.floor((high - first) / size) + 1 }, (_, i) => first + i * size);
}

/** Move labels apart downwards so that none covers another; returns their new positions in the given order. */
export function spread(wanted: number[], apart: number): number[] {
  const order = wanted.map((_, i) => i).sort((a, b) => (wanted[a] ?? 0) - (wanted[b] ?? 0));
  const placed = [...wanted];
  let last = -Infinity;
  for (const i of order) {
    last = Math.max(wanted[i] ?? 0, last + apart);
    placed[i] = last;
  }
  return placed;
}
