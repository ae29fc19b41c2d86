import { expect, it } from 'vitest';
import type { Tone } from '../../lib/api';
import { heardNow } from './corridor';
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

it('brings what is heard now to the level of the target, and draws nothing in silence', () => {
  const hz = Array.from({ length: 60 }, (_, i) => 100 * 2 ** (i / 12));
  const tone = { points_hz: hz, target_db: hz.map(() => 50), trust: hz.map(() => 1) } as unknown as Tone;
  const bands = [125, 250, 500, 1000, 2000];
  const heard = heardNow(tone, bands, [-30, -30, -24, -30, -36], 50)!;
  expect(heard.map((band) => Math.round(band.db))).toEqual([0, 0, 6, 0, -6]);
  expect(heardNow(tone, bands, [null, -90, -90, -90, -90], 50)).toBeNull();
});
