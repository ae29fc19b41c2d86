import { expect, it } from 'vitest';
import type { Tone } from '../../lib/api';
import { heardNow, picture } from './corridor';

const hz = Array.from({ length: 60 }, (_, i) => 100 * 2 ** (i / 12));
const tone: Tone = {
  target_name: 'average speech',
  remaining: null,
  passages: 1,
  sibilants: null,
  resonances: [],
  known: [],
  points_hz: hz,
  deviation_db: hz.map((f) => (f > 400 && f < 600 ? 5 : 0)),
  rig_db: hz.map((f) => (f > 400 && f < 600 ? 3 : 0)),
  uncertainty_db: hz.map(() => 2),
  wanted_db: hz.map(() => 0),
  correction_db: hz.map(() => -1),
  corrected_db: hz.map(() => 50),
  average_db: hz.map((f) => 60 - 6 * Math.log2(f / 100)),
  trust: hz.map((f) => (f < 2000 ? 1 : 0)),
  residual_rms_db: 0,
  worst_db: 0,
  low_hz: 100,
  high_hz: 2000,
  left_alone: '',
  voiced_s: 20,
};

it('draws the sure part no further than the voice tells', () => {
  const { known, knownAll } = picture(tone, 800, 400);
  expect(known.length).toBeLessThan(knownAll.length);
});

it('names what the rig adds and the correction on either side, where they are farthest apart', () => {
  const { labels, x, y } = picture(tone, 800, 400);
  expect(labels.rig.x).toBeGreaterThan(x(390));
  expect(labels.rig.x).toBeLessThan(x(610));
  expect(labels.rig.y).toBeLessThan(y(3));
  expect(labels.correction.y).toBeGreaterThan(y(-1));
});

it('reaches as far as the curves, in steps of 3 dB, and never less than 6 nor more than 15', () => {
  expect(picture(tone, 800, 400).high).toBe(6);
  expect(picture({ ...tone, deviation_db: hz.map(() => 7) }, 800, 400).high).toBe(9);
  expect(picture({ ...tone, deviation_db: hz.map(() => 40) }, 800, 400).high).toBe(15);
});

it('shows what is heard against the target whatever its level, and nothing in silence', () => {
  const bands = [125, 250, 500, 1000, 1600, 1900];
  const average = (f: number) => tone.average_db[hz.findIndex((point) => point >= f)] ?? 0;
  const heard = heardNow(
    tone,
    bands,
    bands.map((f) => average(f) - 70 + (f === 500 ? 6 : 0)),
  );
  const at = Object.fromEntries((heard ?? []).map((band) => [band.hz, band.db]));
  expect((at[500] ?? 0) - (at[250] ?? 0)).toBeCloseTo(6);
  expect(
    heardNow(
      tone,
      bands,
      bands.map(() => -90),
    ),
  ).toBeNull();
});
