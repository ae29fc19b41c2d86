import { marked, t } from '../lib/words';
import type { Band, ChangeSetting, Setting } from '../lib/api';
import { frequency, level, signed } from '../lib/format';

const BAND_STEP_DB = 0.5;
const SHAPE = { peak: '', low_shelf: t(' low shelf'), high_shelf: t(' high shelf') };

function band(value: Band): string {
  return `${frequency(value.frequency_hz)} ${signed(value.gain_db)} dB Q ${marked(value.q.toFixed(1))}${SHAPE[value.shape]}`;
}

/** A setting's value, or what was derived, with its unit. */
export function describe(setting: Setting, derived = false): string {
  const bell = derived ? setting.derived_band : setting.band;
  if (bell) return band(bell);
  const value = derived ? setting.derived : setting.value;
  if (value === null || value === undefined) return t('unknown');
  if (setting.name === 'order') return `${6 * value} dB/oct`;
  if (setting.unit === 'Hz') return frequency(value);
  if (setting.unit === ':1') return value >= 100 ? t('closes fully') : `${marked(value.toFixed(1))} : 1`;
  if (['gain_db', 'makeup_db'].includes(setting.name)) return `${signed(value)} dB`;
  const shown = setting.digits === 1 ? level(value) : marked(value.toFixed(setting.digits));
  return `${shown} ${setting.unit}`.trim();
}

/** How what a setting gives is left out: a band by its place in its equalizer, anything else with its stage. */
export function leftOutAs(setting: Setting, all: Setting[]): string {
  if (!setting.band) return setting.stage;
  const bands = all.filter((other) => other.stage === setting.stage);
  return `${setting.stage}/${1 + bands.findIndex((other) => other.name === setting.name)}`;
}

function within(value: number, [low, high]: [number, number]): number {
  return Math.min(high, Math.max(low, value));
}

/** The change that one nudge makes: half a decibel for a band's gain, the setting's own step for numbers. */
export function nudged(setting: Setting, by: 1 | -1): Partial<ChangeSetting> {
  if (setting.band) {
    const gain = within(Math.round((setting.band.gain_db + by * BAND_STEP_DB) * 10) / 10, [-12, 9]);
    return { band: { ...setting.band, gain_db: gain } };
  }
  const value = within((setting.value ?? 0) + by * (setting.step ?? 1), [setting.low ?? -100, setting.high ?? 100]);
  return { value: Math.round(value * 100) / 100 };
}
