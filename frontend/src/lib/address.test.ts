import { expect, test } from 'vitest';
import { addressOf, placeAt, titleOf } from './address';
import { LEAVES } from './steps';

test('every leaf is found again by its address', () => {
  for (const [step, leaves] of Object.entries(LEAVES)) {
    for (const { name } of leaves) {
      const there = placeAt(addressOf({ step: step as 'rig', leaf: name }));
      expect(there).toEqual({ step, leaf: name });
    }
  }
});

test('a step alone is its first leaf', () => {
  expect(placeAt('#tone')).toEqual({ step: 'tone', leaf: 'corridor' });
});

test.each(['', '#', '#nowhere', '#tone/nowhere', '#constructor/x', '#tone/', '#toString'])(
  '%j leads nowhere',
  (hash) => {
    expect(placeAt(hash)).toBeNull();
  },
);

test('the title names the leaf, the step and the program', () => {
  expect(titleOf({ step: 'tone', leaf: 'target' }, 'Tone')).toBe('Target and taste · Tone · Obsidian Wren');
});
