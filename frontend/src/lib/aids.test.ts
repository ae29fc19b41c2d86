import { expect, it } from 'vitest';
import { aidFilters, HIGH_HZ, LOW_HZ } from './aids';
import { at } from './tape';

it('parts the voice in three that meet', () => {
  expect(aidFilters('all', 1000)).toEqual([]);
  expect(aidFilters('low', 1000).every((f) => f.type === 'lowpass' && f.hz === LOW_HZ)).toBe(true);
  expect(aidFilters('high', 1000).every((f) => f.type === 'highpass' && f.hz === HIGH_HZ)).toBe(true);
  const middle = aidFilters('middle', 1000);
  expect(middle.filter((f) => f.type === 'highpass').map((f) => f.hz)).toEqual([LOW_HZ, LOW_HZ]);
  expect(middle.filter((f) => f.type === 'lowpass').map((f) => f.hz)).toEqual([HIGH_HZ, HIGH_HZ]);
});

it('is as steep as a fourth-order Butterworth', () => {
  // The Qs of the two biquads in dB, as the Web Audio API takes them for low- and high-pass: 0.541 and 1.307.
  const qs = aidFilters('low', 1000).map((f) => 10 ** (f.q / 20));
  expect(qs[0]).toBeCloseTo(0.541, 1);
  expect(qs[1]).toBeCloseTo(1.307, 1);
});

it('lifts one narrow band for the probe', () => {
  const [probe] = aidFilters('probe', 2500);
  expect(probe).toMatchObject({ type: 'peaking', hz: 2500, gainDb: 12 });
});

it('finds the frame of a moment and stops at the ends', () => {
  const rows = ['a', 'b', 'c'];
  expect(at(rows, 0.05, 0)).toBe('a');
  expect(at(rows, 0.05, 0.07)).toBe('b');
  expect(at(rows, 0.05, 9)).toBe('c');
  expect(at(rows, 0.05, -1)).toBe('a');
  expect(at([], 0.05, 0)).toBeNull();
});
