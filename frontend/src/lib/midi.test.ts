import { describe, expect, it } from 'vitest';
import { parse, shareOf, SoftTakeover, valueAt } from './midi';

describe('messages', () => {
  it('are notes and control changes, on channels from 1', () => {
    expect(parse([0x90, 36, 100])).toEqual({ kind: 'note', channel: 1, number: 36, value: 100 });
    expect(parse([0x99, 36, 0])).toEqual({ kind: 'note', channel: 10, number: 36, value: 0 });
    expect(parse([0x8f, 36, 64])).toEqual({ kind: 'note', channel: 16, number: 36, value: 0 });
    expect(parse(new Uint8Array([0xb2, 7, 127]))).toEqual({ kind: 'control', channel: 3, number: 7, value: 127 });
  });
  it('are nothing where they are anything else, or broken', () => {
    for (const bytes of [
      [],
      [0x90],
      [0x90, 36],
      [0xe0, 0, 64],
      [0xc0, 5, 0],
      [0xf8, 0, 0],
      [36, 100, 1],
      [0xb0, 7, 200],
    ])
      expect(parse(bytes)).toBeNull();
  });
});

describe('soft takeover', () => {
  it('turns nothing until the knob passes where the setting stands', () => {
    const knob = new SoftTakeover();
    expect([0.1, 0.2, 0.4].map((at) => knob.turn(at, 0.5))).toEqual([false, false, false]);
    expect(knob.turn(0.55, 0.5)).toBe(true);
    expect(knob.turn(0.9, 0.55)).toBe(true);
  });
  it('takes hold at once where the knob is there already', () => {
    expect(new SoftTakeover().turn(0.51, 0.5)).toBe(true);
  });
  it('lets go where something else moved the setting, until it is passed again', () => {
    const knob = new SoftTakeover();
    expect(knob.turn(0.5, 0.5)).toBe(true);
    expect(knob.turn(0.52, 0.9)).toBe(false);
    expect(knob.turn(0.7, 0.9)).toBe(false);
    expect(knob.turn(0.95, 0.9)).toBe(true);
  });
  it('does not lose hold to the steps of the setting', () => {
    const knob = new SoftTakeover();
    knob.turn(0.5, 0.5);
    expect([0.53, 0.56, 0.6].map((at) => knob.turn(at, at - 0.02))).toEqual([true, true, true]);
  });
});

describe('the way of a knob', () => {
  it('is even in decibels, and in octaves for frequencies and ratios', () => {
    expect(valueAt(0.5, -60, 0, 'dBFS', 0.5)).toBe(-30);
    expect(valueAt(0.5, 40, 160, 'Hz', 1)).toBe(80);
    expect(valueAt(1, 1, 20, ':1', 0.1)).toBe(20);
    expect(shareOf(80, 40, 160, 'Hz')).toBeCloseTo(0.5);
    expect(shareOf(-30, -60, 0, 'dBFS')).toBeCloseTo(0.5);
    expect(shareOf(999, 0, 10, 'dB')).toBe(1);
  });
  it('comes back to where it was', () => {
    for (const share of [0, 0.25, 0.5, 0.75, 1]) {
      expect(shareOf(valueAt(share, -20, 20, 'dB', 0.1), -20, 20, 'dB')).toBeCloseTo(share, 2);
    }
  });
});
