import { area, line } from 'd3-shape';
import type { Checked } from '../../lib/api';

/** A check hears the room for so long, then the voice, s. */
export const ROOM_S = 8;

export type DriftBand = Checked['bands'][number];
type Scale = (value: number) => number;
const LEAST_DB = 6;

/** How far the picture reaches up and down: whole steps of three decibels over all that is drawn. */
export function reach(bands: DriftBand[]): number {
  const sizes = bands.flatMap((each) => [each.change_db, each.spread_db, each.explained_db, each.room_db]);
  const most = Math.max(...sizes.map((size) => Math.abs(size ?? 0)), 0);
  return Math.min(30, Math.max(LEAST_DB, Math.ceil(most / 3) * 3));
}

/** A curve over the bands; broken where a band is not known. */
export function curve(bands: DriftBand[], name: 'change_db' | 'explained_db' | 'room_db', x: Scale, y: Scale): string {
  const draw = line<DriftBand>()
    .defined(
      (each) => each[name] !== null && each[name] !== undefined && (name === 'room_db' || each.change_db !== null),
    )
    .x((each) => x(each.hz))
    .y((each) => y(each[name] ?? 0));
  return draw(bands) ?? '';
}

/** What the voice may differ by with nothing changed, around zero. */
export function band(bands: DriftBand[], x: Scale, y: Scale): string {
  const draw = area<DriftBand>()
    .defined((each) => each.spread_db !== null)
    .x((each) => x(each.hz))
    .y0((each) => y(-(each.spread_db ?? 0)))
    .y1((each) => y(each.spread_db ?? 0));
  return draw(bands) ?? '';
}
