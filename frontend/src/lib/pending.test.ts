import { describe, expect, it } from 'vitest';
import type { Overview } from './api';
import { Pending } from './pending';

const told = {
  working_out: false,
  settings: [
    { stage: 'highpass', name: 'frequency_hz', value: 70, pinned: false },
    { stage: 'gate', name: 'range_db', value: 6, pinned: false },
  ],
} as unknown as Overview;

const values = (overview: Overview) => overview.settings.map((setting) => setting.value);

describe('what was moved and is not answered yet', () => {
  it('is shown as it will be, and marked', () => {
    const pending = new Pending();
    expect(pending.over(told)).toBe(told);
    expect(pending.set('highpass', 'frequency_hz', { pinned: true, value: 71 })).toBe(true);
    const shown = pending.over(told);
    expect(values(shown)).toEqual([71, 6]);
    expect(shown.settings[0]?.pinned).toBe(true);
    expect(shown.working_out).toBe(true);
    expect(values(told)).toEqual([70, 6]);
  });

  it('is asked for once while it waits, with where it has come to', () => {
    const pending = new Pending();
    pending.set('highpass', 'frequency_hz', { pinned: true, value: 71 });
    expect(pending.set('highpass', 'frequency_hz', { pinned: true, value: 72 })).toBe(false);
    expect(pending.send('highpass', 'frequency_hz')).toEqual({ pinned: true, value: 72 });
    // What comes while that is on its way has to be asked for by itself.
    expect(pending.set('highpass', 'frequency_hz', { pinned: true, value: 73 })).toBe(true);
    pending.answered('highpass', 'frequency_hz');
    expect(values(pending.over(told))).toEqual([73, 6]);
    pending.send('highpass', 'frequency_hz');
    pending.answered('highpass', 'frequency_hz');
    expect(pending.over(told)).toBe(told);
  });

  it('is forgotten where it was refused', () => {
    const pending = new Pending();
    pending.set('gate', 'range_db', { pinned: true, value: 9 });
    pending.send('gate', 'range_db');
    pending.answered('gate', 'range_db');
    expect(values(pending.over(told))).toEqual([70, 6]);
  });
});
