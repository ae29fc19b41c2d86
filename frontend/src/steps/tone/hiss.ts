import { line } from 'd3-shape';
import type { Sibilance } from '../../lib/api';

/** Geometry of breath and hiss over the time of a take. */

type Scale = (value: number) => number;

/** The highest level of each step of pixels, so that no burst is lost between two points. */
export function envelope(levels: (number | null)[], stepS: number, x: Scale, y: Scale, pixels: number): string {
  const each = Math.max(1, Math.ceil(levels.length / Math.max(1, pixels)));
  const points: [number, number][] = [];
  for (let i = 0; i < levels.length; i += each) {
    const part = levels.slice(i, i + each).map((level) => level ?? -100);
    points.push([x(i * stepS), y(Math.max(...part))]);
  }
  return line<[number, number]>()(points) ?? '';
}

/** How many sibilants stand over their neighbours. */
export function over(found: Sibilance['found']): number {
  return found.filter((sibilant) => sibilant.level_db > sibilant.neighbours_db).length;
}
