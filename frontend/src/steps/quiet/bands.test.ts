import { expect, it } from 'vitest';
import type { Quiet } from '../../lib/api';
import { fallen, picture, range } from './bands';

const quiet = {
  third_octaves: [
    { centre_hz: 100, level_dbfs: -70 },
    { centre_hz: 125, level_dbfs: -80 },
  ],
  hum: { mains_hz: 50, level_dbfs: -76, harmonics: [{ hz: 100, level_dbfs: -76 }], drift_hz: 0 },
  tones: [],
  buzz: [],
} as unknown as Quiet;

it('draws louder bands taller, side by side without overlap', () => {
  const { bars } = picture(quiet, 800, 400);
  expect(bars[0]!.top).toBeLessThan(bars[1]!.top);
  expect(bars[0]!.x + bars[0]!.width).toBeLessThan(bars[1]!.x);
});

it('stands a hum mark over its own band', () => {
  const { bars, hum } = picture(quiet, 800, 400);
  expect(hum[0]!.x).toBeGreaterThan(bars[0]!.x);
  expect(hum[0]!.x).toBeLessThan(bars[0]!.x + bars[0]!.width);
});

it('lays what is held over each band as a stitch', () => {
  const held = [{ centre_hz: 100, level_dbfs: -60 }];
  const { bars, held: stitches } = picture(quiet, 800, 400, held);
  expect(stitches[0]!.top).toBeLessThan(bars[0]!.top);
  expect(stitches[0]!.x).toBe(bars[0]!.x);
});

it('says which band fell most and leaves out what is silent', () => {
  expect(fallen([-70, -60, null], [-60, -59, -40], [100, 125, 160])).toEqual({ hz: 100, db: -10 });
  expect(fallen([], [], [])).toBeNull();
});

it('spans whole tens and at most ninety decibels', () => {
  expect(range([-72, -101])).toEqual([-110, -50]);
  expect(range([-20, -190])[0]).toBe(-100);
});
