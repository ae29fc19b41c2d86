import { expect, it } from 'vitest';
import type { Take } from './api';
import { askedBefore, shownTakes } from './older';

const take = (id: number, purpose: string, more: Partial<Take> = {}) =>
  ({ id, purpose, current: false, fault: null, ...more }) as Take;
const known = [1, 2, 3, 4, 5].map((id) => take(id + 10, 'rest')).concat(take(20, 'talk', { current: true }));

it('shows the newest three, of several purposes those in force', () => {
  expect(shownTakes(known, ['rest'], null).map((one) => one.id)).toEqual([13, 14, 15]);
  expect(shownTakes(known, ['rest', 'talk'], null).map((one) => one.id)).toEqual([20]);
});

it('shows all that it has and what was fetched, once each and in order', () => {
  const fetched = [take(3, 'rest'), take(11, 'rest')];
  expect(shownTakes(known, ['rest'], fetched).map((one) => one.id)).toEqual([3, 11, 12, 13, 14, 15]);
});

it('asks before the oldest that is shown, for purposes that have more', () => {
  expect(askedBefore(known, ['rest', 'passage'], ['rest', 'talk'])).toEqual([['rest', 11]]);
  expect(askedBefore([], ['rest'], ['rest'])).toEqual([['rest', Number.MAX_SAFE_INTEGER]]);
});
