import { describe, expect, it } from 'vitest';
import { marksLeft, marksToTake } from './dial';

describe('the marks of a dial', () => {
  it('lie near both ends and in the middle, on its steps', () => {
    expect(marksToTake(0, 10, 1)).toEqual([2, 5, 8]);
    expect(marksToTake(0, 100, 1)).toEqual([20, 50, 80]);
    expect(marksToTake(0, 1, 1)).toEqual([0, 1]);
  });

  it('are left where no take stands near', () => {
    expect(marksLeft([2, 5, 8], [], 0, 10)).toEqual([2, 5, 8]);
    expect(marksLeft([2, 5, 8], [4], 0, 10)).toEqual([2, 8]);
  });
});
