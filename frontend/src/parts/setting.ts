import type { Band, ChangeSetting, Setting } from '../lib/api';
import { frequency, level, signed } from '../lib/format';

const STEP: Record<string, number> = { frequency_hz: 2, order: 1, gain_db: 0.5, ceiling_dbtp: 0.5 };
const LIMITS: Record<string, [number, number]> = {
  frequency_hz: [20, 200],
  order: [1, 4],
  gain_db: [-30, 40],
  ceiling_dbtp: [-20, -1],
};
const BAND_STEP_DB = 0.5;
const SHAPE = { peak: '', low_shelf: ' low shelf', high_shelf: ' high shelf' };

function band(value: Band): string {
  return `${frequency(value.frequency_hz)} ${signed(value.gain_db)} dB Q ${value.q.toFixed(1)}${SHAPE[value.shape]}`;
}

/** A setting's value, or what was derived, with its unit. */
export function describe(setting: Setting, derived = false): string {
  const bell = derived ? setting.derived_band : setting.band;
  if (bell) return band(bell);
  const value = derived ? setting.derived : setting.value;
  if (value === null || value === undefined) return 'unknown';
  if (setting.name === 'order') return `${6 * value} dB/oct`;
  if (setting.name === 'frequency_hz') return frequency(value);
  return setting.name === 'gain_db' ? `${signed(value)} dB` : `${level(value)} ${setting.unit}`;
}

function within(value: number, [low, high]: [number, number]): number {
  return Math.min(high, Math.max(low, value));
}

/** The change that one nudge makes: half a decibel for gains, two hertz for the high-pass. */
export function nudged(setting: Setting, by: 1 | -1): Partial<ChangeSetting> {
  if (setting.band) {
    const gain = within(Math.round((setting.band.gain_db + by * BAND_STEP_DB) * 10) / 10, [-9, 6]);
    return { band: { ...setting.band, gain_db: gain } };
  }
  const name = setting.name;
  const value = within((setting.value ?? 0) + by * (STEP[name] ?? 1), LIMITS[name] ?? [-100, 100]);
  return { value: Math.round(value * 100) / 100 };
}
