import { expect, test } from 'vitest';
import type { Overview } from '../lib/api';
import { linesOf } from './lines';

function overview(more: Record<string, unknown> = {}): Overview {
  return {
    rig: { id: 1, distance_cm: 22 },
    rigs: [{ id: 1, name: 'Loft desk', made_of: 'Reedling 40 through Towpath Two' }],
    quiet: { rms_dbfs: -64.7, a_weighted_dbfs: -72.4 },
    talk: { snr_db: 38.2 },
    gain_plan: { sentence: 'Leave the preamp where it is' },
    predictions: {},
    diagram: [{ name: 'converter', peak_dbfs: -12.7 }],
    stages: [
      { key: 'gate', step: 'clean', title: 'Gate', on: true, because: '' },
      { key: 'hum', step: 'clean', title: 'Hum', on: false, because: '' },
      { key: 'equalizer', step: 'tone', title: 'Equalizer', on: false, because: 'Nothing is corrected.' },
    ],
    settings: [],
    destinations: [{ on: true, feed: 'Wren: call' }],
    proofs: { good: 0, all: 1 },
    computer: { missing: null },
    tone: null,
    delivery: null,
    ...more,
  } as unknown as Overview;
}

const line = (step: string, more: Record<string, unknown> = {}) =>
  linesOf(overview(more)).find((each) => each.step === step);

test('a calibration is eight lines, in the order of the steps', () => {
  expect(linesOf(overview()).map((each) => each.step)).toEqual([
    ...['rig', 'quiet', 'gain', 'clean', 'tone', 'steady', 'send', 'prove'],
  ]);
});

test('each says what it came to', () => {
  expect(line('quiet')?.value).toBe('−64.7 dBFS');
  expect(line('gain')?.sentence).toBe('Leave the preamp where it is. 38 dB over the room.');
  expect(line('clean')).toMatchObject({ value: '1 of 2 on', sentence: 'gate' });
  expect(line('tone')).toMatchObject({ value: '0 bands', sentence: 'Nothing is corrected.' });
});

test('what was moved by calculation says so, and is the number of now', () => {
  const predictions = { rest: { room_db: 4 }, talk: { voice_db: 4, room_db: 4 } };
  expect(line('quiet', { predictions })).toMatchObject({ value: '−60.7 dBFS' });
  expect(line('quiet', { predictions })?.sentence).toContain('−68.4 dBFS, moved to the present gain by calculation');
  expect(line('gain', { predictions })?.sentence).toContain('by calculation');
});

test('where no sound server answers no feed is promised', () => {
  expect(line('send')?.sentence).toContain('Any program can choose “Wren: call”');
  expect(line('send', { computer: { missing: 'No sound server.' } })?.sentence).toContain('no program can choose');
});
