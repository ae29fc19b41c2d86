import { expect, it } from 'vitest';
import type { Frame } from './api';
import { FrameStore, HELD_FRAMES } from './frames';

function frame(level: number, peak: number, clipped = 0): Frame {
  const short = [level, level, level, level, level];
  return {
    of: 'watch',
    level_dbfs: level,
    peak_dbfs: peak,
    short_dbfs: short,
    clipped,
    a_weighted_dbfs: level,
    bands_hz: [],
    bands_dbfs: [],
  };
}

it('holds ten seconds and does not grow over an hour', () => {
  const frames = new FrameStore();
  for (let i = 0; i < 72_000; i++) frames.add(frame(-30, -20), i * 50);
  expect(frames.count).toBe(72_000);
  expect(frames.seconds).toBe(HELD_FRAMES / 20);
  expect(frames.histogram().reduce((a, b) => a + b, 0)).toBeCloseTo(1, 6);
});

it('spreads the levels of the last ten seconds', () => {
  const frames = new FrameStore();
  for (let i = 0; i < 200; i++) frames.add(frame(-60, -50), i * 50);
  for (let i = 0; i < 100; i++) frames.add(frame(-20, -8), i * 50);
  const histogram = frames.histogram();
  expect(histogram[96 - 60]).toBeCloseTo(0.5, 6);
  expect(histogram[96 - 20]).toBeCloseTo(0.5, 6);
  expect(frames.recentPeak).toBe(-8);
});

it('keeps the highest peak and says how long ago it clipped', () => {
  const frames = new FrameStore();
  expect(frames.secondsSinceClipped(0)).toBeNull();
  frames.add(frame(-10, -0.1, 4), 1000);
  for (let i = 0; i < 300; i++) frames.add(frame(-40, -30), 1050 + i * 50);
  expect(frames.peakHold).toBe(-0.1);
  expect(frames.recentPeak).toBe(-30);
  expect(frames.clipped).toBe(4);
  expect(frames.secondsSinceClipped(31_000)).toBe(30);
  frames.resetHold();
  expect(frames.peakHold).toBeNull();
  expect(frames.clipped).toBe(0);
});
