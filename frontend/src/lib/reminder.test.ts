import { expect, test } from 'vitest';
import { dueForCheck } from './reminder';

const NOW = new Date('2026-05-09T09:00:00Z');
const take = (taken_at: string, fault: string | null = null) => ({ taken_at, fault });

test('takes of another day ask for a check, once a day', () => {
  const old = [take('2026-05-01T09:00:00Z'), take('2026-05-03T09:00:00Z')];
  expect(dueForCheck(old, null, NOW)).toBe(true);
  expect(dueForCheck(old, '2026-05-09T08:00:00Z', NOW)).toBe(false);
  expect(dueForCheck(old, '2026-05-08T08:00:00Z', NOW)).toBe(true);
});

test('whoever took or checked something today is left alone', () => {
  expect(dueForCheck([take('2026-05-01T09:00:00Z'), take('2026-05-09T08:50:00Z')], null, NOW)).toBe(false);
  expect(dueForCheck([], null, NOW)).toBe(false);
});

test('a take that could not be used tells nothing', () => {
  expect(dueForCheck([take('2026-05-01T09:00:00Z'), take('2026-05-09T08:50:00Z', 'silent')], null, NOW)).toBe(true);
});
