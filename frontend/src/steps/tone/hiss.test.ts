import { expect, it } from 'vitest';
import { envelope, over } from './hiss';

it('loses no burst between two pixels', () => {
  const levels: (number | null)[] = Array.from({ length: 1000 }, () => -60);
  levels[377] = -12;
  levels[500] = null;
  const path = envelope(
    levels,
    0.01,
    (s) => s * 10,
    (db) => -db,
    50,
  );
  const ys = [...path.matchAll(/,([\d.]+)/g)].map((m) => Number(m[1]));
  expect(ys.length).toBeLessThanOrEqual(50);
  expect(Math.min(...ys)).toBe(12);
});

it('counts the sibilants that stand over their neighbours', () => {
  const hiss = (level_db: number) => ({
    at_s: 0,
    length_s: 0.1,
    sort: 's' as const,
    frequency_hz: 6000,
    level_db,
    neighbours_db: -20,
  });
  expect(over([hiss(-25), hiss(-19), hiss(-20)])).toBe(1);
});
