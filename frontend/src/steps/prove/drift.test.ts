import { expect, test } from 'vitest';
import { band, curve, reach, type DriftBand } from './drift';

const row = (hz: number, change_db: number | null, more: Partial<DriftBand> = {}): DriftBand => ({
  hz,
  change_db,
  spread_db: change_db === null ? null : 1,
  explained_db: change_db,
  room_db: 0,
  ...more,
});
const identity = (value: number) => value;

test('the picture holds the largest change, in steps of three decibels', () => {
  expect(reach([row(100, -2)])).toBe(6);
  expect(reach([row(100, -7.2), row(200, 1)])).toBe(9);
  expect(reach([row(100, 0, { room_db: 80 })])).toBe(30);
  expect(reach([])).toBe(6);
});

test('a band that is not known breaks the curve', () => {
  const rows = [row(100, -2), row(200, null), row(300, -3), row(400, -3)];
  expect(curve(rows, 'change_db', identity, identity)).toBe('M100,-2ZM300,-3L400,-3');
  expect(curve(rows, 'room_db', identity, identity)).toBe('M100,0L200,0L300,0L400,0');
});

test('the spread lies around zero', () => {
  expect(band([row(100, 3), row(200, 3)], identity, identity)).toBe('M100,1L200,1L200,-1L100,-1Z');
});
