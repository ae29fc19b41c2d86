import { expect, it } from 'vitest';
import type { Quiet } from '../../lib/api';
import { picture } from './bands';

const quiet: Quiet = {
  duration_s: 15,
  rms_dbfs: -64,
  a_weighted_dbfs: -72,
  peak_dbfs: -50,
  spread_db: 0.9,
  percentiles_dbfs: { p10: -65, p50: -64, p90: -63, p99: -62 },
  third_octaves: [
    { centre_hz: 100, level_dbfs: -70 },
    { centre_hz: 125, level_dbfs: -80 },
  ],
  hum: { mains_hz: 50, level_dbfs: -76, harmonics: [{ hz: 100, level_dbfs: -76 }] },
  tones: [],
  transients: { count: 0, per_minute: 0, peak_dbfs: null },
  flat_tops: { count: 0, level_dbfs: null },
  rumble_dbfs: -70,
};

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
