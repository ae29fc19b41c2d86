import { expect, it } from 'vitest';
import type { Setting } from '../lib/api';
import { describe as say, leftOutAs, nudged } from './setting';

const bell: Setting = {
  low: null,
  high: null,
  step: null,
  digits: 1,
  sure_db: 0.3,
  stage: 'equalizer',
  name: 'band-1',
  title: 'Warmth',
  value: null,
  band: { shape: 'peak', frequency_hz: 212, gain_db: -3.4, q: 1.1 },
  unit: 'dB',
  derived: null,
  derived_band: { shape: 'peak', frequency_hz: 212, gain_db: -3, q: 1.1 },
  pinned: true,
  because: '',
};

it('says a bell with frequency, gain and Q', () => {
  expect(say(bell)).toBe('212 Hz −3.4 dB Q 1.1');
  expect(say(bell, true)).toBe('212 Hz −3.0 dB Q 1.1');
});

it('nudges half a decibel and stops at the caps', () => {
  expect(nudged(bell, 1).band?.gain_db).toBe(-2.9);
  const full = { ...bell, band: { ...bell.band!, gain_db: 8.9 } };
  expect(nudged(full, 1).band?.gain_db).toBe(9);
});

it('says a slope in dB per octave', () => {
  const order: Setting = {
    ...bell,
    stage: 'highpass',
    name: 'order',
    band: null,
    derived_band: null,
    value: 3,
    derived: 3,
    low: 1,
    high: 4,
    step: 1,
  };
  expect(say(order)).toBe('18 dB/oct');
  expect(nudged({ ...order, value: 4 }, 1).value).toBe(4);
});

it('is left out by its place among the bands of its own equalizer, or with its stage', () => {
  const other = { ...bell, stage: 'equalizer-2', name: 'band-9' };
  const second = { ...bell, name: 'band-7' };
  const all = [other, bell, second];
  expect(leftOutAs(second, all)).toBe('equalizer/2');
  expect(leftOutAs(other, all)).toBe('equalizer-2/1');
  expect(leftOutAs({ ...bell, stage: 'highpass', band: null }, all)).toBe('highpass');
});
