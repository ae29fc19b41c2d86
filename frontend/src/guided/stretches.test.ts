import { expect, test } from 'vitest';
import type { Overview, Progress, Purpose, Take } from '../lib/api';
import { due, howFar, howKnown, left, told } from './stretches';

let count = 0;
function take(purpose: Purpose, more: Partial<Take> = {}): Take {
  count += 1;
  return { id: count, purpose, current: true, fault: null, stale: null, notes: [], ...more } as Take;
}
const SECONDS = { rest: 15, talk: 30, loud: 12, passage: 40 } as unknown as Overview['seconds'];

test('from nothing the room is first, and all is left', () => {
  const found = told({ takes: [], predictions: {} }, null);
  expect(due(found)?.purpose).toBe('rest');
  expect(left(found, { seconds: SECONDS })).toBe(97);
});

test('what stands or was moved by physics is not taken again; what is faulty or outdated is', () => {
  const takes = [take('rest'), take('talk', { fault: 'It is silent.' }), take('loud', { stale: 'Gain was turned.' })];
  const found = told({ takes, predictions: {} }, null);
  expect(found.map((each) => each.done)).toEqual([true, false, false, false]);
  expect(due(found)?.purpose).toBe('talk');
  expect(due(told({ takes: [...takes, take('talk')], predictions: { loud: {} as never } }, null))?.purpose).toBe(
    'passage',
  );
});

test('a run that began anew takes everything anew', () => {
  const takes = [take('rest'), take('talk'), take('loud'), take('passage')];
  expect(due(told({ takes, predictions: {} }, null))).toBeNull();
  const again = told({ takes: [...takes, take('rest')], predictions: {} }, takes.at(-1)?.id ?? null);
  expect(again.map((each) => each.done)).toEqual([true, false, false, false]);
});

test('what is done of a take is no longer left', () => {
  const found = told({ takes: [take('rest')], predictions: {} }, null);
  expect(left(found, { seconds: SECONDS }, 10)).toBe(72);
});

test('talk is as far as its level is known, and says what ends it', () => {
  const running = { until_steady: true, seconds: 45, done_s: 9 } as Progress;
  expect(howFar(running)).toBeCloseTo(0.2);
  expect(howKnown(running)).toContain('At 45 s');
  const steady = { active_error_db: 1.6, peak_error_db: 2, spoken_s: 20, steady: false } as Progress['steady'];
  expect(howFar({ ...running, steady } as Progress)).toBeCloseTo(0.5);
  expect(howKnown({ ...running, steady } as Progress)).toContain('±2.0 dB after 20 s of speech');
});
