import { expect, it } from 'vitest';
import type { Tone } from '../../lib/api';
import { picture } from './corridor';

const hz = Array.from({ length: 60 }, (_, i) => 100 * 2 ** (i / 12));
const tone: Tone = {
  target_name: 'average speech',
  remaining: null,
  certainty_db: null,
  passages: 1,
  sibilants: null,
  resonances: [],
  points_hz: hz,
  target_db: hz.map(() => 50),
  recorded_db: hz.map((f) => (f > 400 && f < 600 ? 55 : 50)),
  corrected_db: hz.map(() => 50),
  trust: hz.map((f) => (f < 2000 ? 1 : 0)),
  corridor_db: 1.5,
  residual_rms_db: 0,
  worst_db: 0,
  low_hz: 100,
  high_hz: 2000,
  left_alone: '',
  voiced_s: 20,
};

it('stitches only where the correction moves something', () => {
  const { stitches, x } = picture(tone, 800, 400);
  expect(stitches.length).toBeGreaterThan(0);
  for (const stitch of stitches) {
    expect(stitch.x).toBeGreaterThan(x(390));
    expect(stitch.x).toBeLessThan(x(610));
    expect(stitch.to).toBeGreaterThan(stitch.from);
  }
});

it('draws the sure part no further than the trust reaches', () => {
  const { recorded, recordedAll } = picture(tone, 800, 400);
  expect(recorded.length).toBeLessThan(recordedAll.length);
});
