import { describe, expect, it } from 'vitest';
import { frequency, level, moment, proper, signed, withUnit } from './format';

describe('numbers on the page', () => {
  it('carry a true minus sign and never a negative zero', () => {
    expect(level(-21.44)).toBe('−21.4');
    expect(signed(-0.04)).toBe('0.0');
    expect(signed(2)).toBe('+2.0');
  });
  it('say what is unknown', () => {
    expect(level(null)).toBe('unknown');
    expect(withUnit(undefined, 'dBFS')).toBe('unknown');
  });
  it('carry it inside sentences too, and leave hyphens alone', () => {
    expect(proper('peaks at -12.5 dBFS, a 24-bit take')).toBe('peaks at −12.5 dBFS, a 24-bit take');
  });
  it('write frequencies as they are spoken', () => {
    expect(frequency(92.3)).toBe('92 Hz');
    expect(frequency(3400)).toBe('3.4 kHz');
    expect(frequency(1000)).toBe('1 kHz');
  });
});

it('says the day of what was not today', () => {
  const now = new Date('2026-11-29T20:00:00');
  expect(moment('2026-11-29T09:05:00', now)).toBe('09:05');
  expect(moment('2026-11-28T09:05:00', now)).toBe('28 Nov, 09:05');
  expect(moment('2025-11-29T09:05:00', now)).toBe('29 Nov 2025, 09:05');
});
