import { expect, it } from 'vitest';
import { spread, steps } from './scales';

it('spreads labels that would cover each other and leaves the others', () => {
  expect(spread([10, 12, 60], 14)).toEqual([10, 24, 60]);
  expect(spread([30, 5], 14)).toEqual([30, 5]);
});

it('steps lie on whole multiples inside the range', () => {
  expect(steps(-65, 0, 20)).toEqual([-60, -40, -20, 0]);
});
