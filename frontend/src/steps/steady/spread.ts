import { area, curveMonotoneX, line } from 'd3-shape';

/** Geometry of Steady: distributions of level before and after, and the transfer curve. */

export const FROM = -60;

type Scale = (value: number) => number;

/** Shares per decibel from −60 dBFS as a shape over a base line. */
export function heap(shares: number[], x: Scale, base: number, top: number, highest: number): string {
  return (
    area<number>()
      .x((_, i) => x(FROM + i + 0.5))
      .y0(base)
      .y1((share) => base - (share / Math.max(highest, 1e-9)) * (base - top))
      .curve(curveMonotoneX)(shares) ?? ''
  );
}

export function outline(shares: number[], x: Scale, base: number, top: number, highest: number): string {
  return (
    line<number>()
      .x((_, i) => x(FROM + i + 0.5))
      .y((share) => base - (share / Math.max(highest, 1e-9)) * (base - top))
      .curve(curveMonotoneX)(shares) ?? ''
  );
}

/** Width of the middle four fifths of a distribution, dB. */
export function width80(shares: number[]): number {
  const total = shares.reduce((sum, share) => sum + share, 0);
  const at = (share: number) => {
    let sum = 0;
    for (let i = 0; i < shares.length; i++) {
      sum += shares[i] ?? 0;
      if (sum >= share * total) return i;
    }
    return shares.length;
  };
  return at(0.9) - at(0.1);
}

export function curvePath(levelsIn: number[], levelsOut: number[], x: Scale, y: Scale): string {
  const shown = levelsIn.flatMap((level, i) => (level >= FROM ? [[level, levelsOut[i] ?? 0] as const] : []));
  return (
    line<readonly [number, number]>()
      .x(([level]) => x(level))
      .y(([, out]) => y(out))(shown) ?? ''
  );
}

/** What a stage takes away over a window of time, hanging from a line: gains in dB, none above it. */
export function hanging(gains: number[], x: (i: number) => number, top: number, perDb: number): string {
  return (
    area<number>()
      .x((_, i) => x(i))
      .y0(top)
      .y1((gain) => top + Math.max(0, -gain) * perDb)(gains) ?? ''
  );
}
