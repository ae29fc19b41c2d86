import { area, line } from 'd3-shape';
import type { Two } from '../../lib/api';

type Band = Two['bands'][number];
type Scale = (value: number) => number;
const LEAST_DB = 6;
/** A hundred decibels under the voice are as good as none. */
const LOWEST_DB = -80;

/** How far the picture reaches up and down: whole steps of three decibels. */
export function reach(bands: Band[]): number {
  const most = Math.max(0, ...bands.map((each) => Math.abs(each.db ?? 0) + Math.min(3, each.error_db ?? 0)));
  return Math.min(30, Math.max(LEAST_DB, Math.ceil(most / 3) * 3));
}

/** The second microphone against the first; broken where it is not known. */
export function response(bands: Band[], x: Scale, y: Scale): string {
  const draw = line<Band>()
    .defined((each) => each.db !== null)
    .x((each) => x(each.hz))
    .y((each) => y(each.db ?? 0));
  return draw(bands) ?? '';
}

/** Within what it is known, 95 of 100. */
export function certainty(bands: Band[], x: Scale, y: Scale): string {
  const draw = area<Band>()
    .defined((each) => each.db !== null && each.error_db !== null)
    .x((each) => x(each.hz))
    .y0((each) => y((each.db ?? 0) - 2 * (each.error_db ?? 0)))
    .y1((each) => y((each.db ?? 0) + 2 * (each.error_db ?? 0)));
  return draw(bands) ?? '';
}

/** How long a bar is, from 0 to 1: of all that both microphones say, the lowest is a stub. */
export function share(value: number | null, both: (number | null)[]): number {
  if (value === null) return 0;
  const known = both.filter((each): each is number => each !== null);
  const low = Math.max(LOWEST_DB, Math.min(...known) - 6);
  const high = Math.max(...known);
  return high === low ? 1 : Math.max(0.04, (value - low) / (high - low));
}
