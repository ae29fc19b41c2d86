import { area, curveMonotoneX } from 'd3-shape';
import type { Quiet, Talk } from '../../lib/api';
import { decibelScale } from '../../lib/scales';

/** Geometry of the gain picture: where the take's frames lie, the peak of each second, and the aim, on one dBFS line. */

export const MARGIN = { left: 24, right: 24, top: 46, bottom: 44 };
const LOW = -96;

export function picture(talk: Talk, quiet: Quiet | null, shiftDb: number, width: number, height: number) {
  const x = decibelScale(LOW, 0, MARGIN.left, width - MARGIN.right);
  const base = height - MARGIN.bottom;
  const most = Math.max(...talk.histogram_dbfs, 1e-6);
  // Neighbouring decibels are averaged: single bins of a short take are ragged.
  const smooth = talk.histogram_dbfs.map((_, i, all) => {
    const around = all.slice(Math.max(0, i - 1), i + 2);
    return around.reduce((sum, share) => sum + share, 0) / around.length;
  });
  const shape = area<number>()
    .x((_, i) => x(talk.histogram_from_dbfs + i + 0.5))
    .y0(base)
    .y1((share) => base - (share / most) * (base - MARGIN.top) * 0.9)
    .curve(curveMonotoneX);
  const peaks = talk.peaks_by_second_dbfs.filter((peak) => peak !== null).map((peak) => x(peak));
  const room = quiet
    ? {
        left: x((quiet.percentiles_dbfs.p10 ?? LOW) + shiftDb),
        right: x((quiet.percentiles_dbfs.p99 ?? LOW) + shiftDb),
      }
    : null;
  return { x, base, frames: shape(smooth) ?? '', peaks, room };
}
