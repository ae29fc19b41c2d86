import { expect, it } from 'vitest';
import { spectrumPath, spreadPath, thinned } from './noise';

const hz = Array.from({ length: 513 }, (_, i) => i * 46.875);
const profile = { hz, density_db: hz.map(() => -110), spread_db: hz.map(() => 5.6) };

it('keeps one point for each twelfth of an octave from 40 Hz up', () => {
  const rows = thinned(profile);
  expect(rows[0]![0]).toBeCloseTo(46.875);
  expect(rows.length).toBeLessThan(120);
  for (let i = 1; i < rows.length; i++)
    expect(rows[i]![0] / rows[i - 1]![0]).toBeGreaterThanOrEqual(2 ** (1 / 12) - 1e-9);
});

it('draws what is left lower by what was taken', () => {
  const y = (db: number) => -db;
  const top = (path: string) => Number(/,([\d.]+)/.exec(path)![1]);
  expect(top(spectrumPath(profile, (v) => v, y, 0))).toBeCloseTo(110);
  expect(top(spectrumPath(profile, (v) => v, y, -12))).toBeCloseTo(122);
  expect(top(spreadPath(profile, (v) => v, y))).toBeCloseTo(110 - 5.6, 1);
});
