import { expect, it } from 'vitest';
import type { Quiet, Talk } from '../../lib/api';
import { MARGIN, picture } from './peaks';

const histogram = Array.from({ length: 97 }, (_, i) => (i === 60 ? 1 : 0));
const talk = {
  histogram_dbfs: histogram,
  histogram_from_dbfs: -96,
  peaks_by_second_dbfs: [-14, -12, null],
  peak_dbfs: -12,
} as unknown as Talk;
const quiet = { percentiles_dbfs: { p10: -66, p50: -65, p90: -63, p99: -62 } } as unknown as Quiet;

it('stands on one dBFS line from silence to full scale', () => {
  const { x } = picture(talk, null, 0, 800, 300);
  expect(x(0)).toBe(800 - MARGIN.right);
  expect(x(-96)).toBe(MARGIN.left);
  expect(x(-12)).toBeGreaterThan(x(-15));
});

it('draws one mark for each second whose peak is known', () => {
  const { peaks, x } = picture(talk, null, 0, 800, 300);
  expect(peaks).toEqual([x(-14), x(-12)]);
});

it('moves the room by what the knob was turned', () => {
  const here = picture(talk, quiet, 0, 800, 300);
  const lifted = picture(talk, quiet, 5, 800, 300);
  expect(lifted.room!.left).toBeCloseTo(here.x(-61), 6);
  expect(here.room!.right).toBeCloseTo(here.x(-62), 6);
  expect(picture(talk, null, 0, 800, 300).room).toBeNull();
});

it('draws the frames highest where they are', () => {
  const { frames, base } = picture(talk, null, 0, 800, 300);
  const heights = [...frames.matchAll(/,([\d.]+)/g)].map((match) => Number(match[1]));
  expect(Math.min(...heights)).toBeLessThan(base - 100);
});
