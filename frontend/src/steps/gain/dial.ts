/** Marks that tell most of a control's curve: near its lower end, its middle and near its upper end, on whole steps. */
export function marksToTake(low: number, high: number, step: number): number[] {
  const at = (share: number) => low + Math.round(((high - low) * share) / step) * step;
  return [...new Set([0.2, 0.5, 0.8].map(at))];
}

/** Those of them that no take stands near yet. */
export function marksLeft(marks: number[], taken: number[], low: number, high: number): number[] {
  const near = (high - low) * 0.12;
  return marks.filter((mark) => taken.every((other) => Math.abs(other - mark) > near));
}
