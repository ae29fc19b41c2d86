import { area, curveMonotoneX } from 'd3-shape';
import type { Quiet, Talk } from '../../lib/api';
import { decibelScale } from '../../lib/scales';

/** Geometry of the gain pictures: where frames lie, the peak of each second, and the aim, on one dBFS line. */

export const MARGIN = { left: 24, right: 24, top: 46, bottom: 44 };
export const LOW = -96;

/** A histogram by whole dBFS as a shape standing on `base`. */
export function hill(histogram: number[], from: number, x: (db: number) => number, base: number, tall: number): string {
  const most = Math.max(...histogram, 1e-6);
  // Neighbouring decibels are averaged: single bins of a short take are ragged.
  const smooth = histogram.map((_, i, all) => {
    const around = all.slice(Math.max(0, i - 1), i + 2);
    return around.reduce((sum, share) => sum + share, 0) / around.length;
  });
  const shape = area<number>()
    .x((_, i) => x(from + i + 0.5))
    .y0(base)
    .y1((share) => base - (share / most) * tall)
    .curve(curveMonotoneX);
  return shape(smooth) ?? '';
}

export function picture(talk: Talk, quiet: Quiet | null, shiftDb: number, width: number, height: number) {
  const x = decibelScale(LOW, 0, MARGIN.left, width - MARGIN.right);
  const base = height - MARGIN.bottom;
  const frames = hill(talk.histogram_dbfs, talk.histogram_from_dbfs, x, base, (base - MARGIN.top) * 0.9);
  const peaks = talk.peaks_by_second_dbfs.filter((peak) => peak !== null).map((peak) => x(peak));
  const room = quiet
    ? {
        left: x((quiet.percentiles_dbfs.p10 ?? LOW) + shiftDb),
        right: x((quiet.percentiles_dbfs.p99 ?? LOW) + shiftDb),
      }
    : null;
  return { x, base, frames, peaks, room };
}

/** Loudest and softest as outlines under the normal hill, from their own takes. */
export function outlines(others: { name: string; talk: Talk | null }[], width: number, height: number) {
  const x = decibelScale(LOW, 0, MARGIN.left, width - MARGIN.right);
  const base = height - MARGIN.bottom;
  return others
    .filter((other) => other.talk !== null)
    .map((other) => ({
      name: other.name,
      path: hill(other.talk!.histogram_dbfs, other.talk!.histogram_from_dbfs, x, base, (base - MARGIN.top) * 0.55),
      peak: other.talk!.peak_dbfs === null ? null : x(other.talk!.peak_dbfs),
      at: x((other.talk!.active_level_dbfs ?? LOW) as number),
    }));
}
