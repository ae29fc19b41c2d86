import { beforeEach, expect, test, vi } from 'vitest';
import { chosenKeys } from './chosen-keys.svelte';

const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  vi.stubGlobal('localStorage', {
    getItem: (name: string) => kept.get(name) ?? null,
    setItem: (name: string, value: string) => void kept.set(name, value),
    removeItem: (name: string) => void kept.delete(name),
  });
  chosenKeys.reset();
});

test('a chosen key does what the usual one did, and that one nothing', () => {
  expect(chosenKeys.doing('T')).toBe('take');
  expect(chosenKeys.choose('take', 'R')).toBeNull();
  expect(chosenKeys.doing('r')).toBe('take');
  expect(chosenKeys.doing('t')).toBeNull();
});

test('no key does two things: what had it gets the one that was given up', () => {
  chosenKeys.choose('take', 'f');
  expect(chosenKeys.doing('f')).toBe('take');
  expect(chosenKeys.doing('t')).toBe('flip');
});

test('digits, Space and ? stay what they are', () => {
  for (const key of ['3', ' ', '?', 'Enter']) expect(chosenKeys.choose('take', key)).toContain('Choose a letter');
  expect(chosenKeys.changed).toBe(false);
});

test('what was chosen is there after a reload, and broken rows count as none', () => {
  chosenKeys.choose('mute', 'x');
  chosenKeys.recall();
  expect(chosenKeys.of('mute')).toBe('x');
  kept.set('keys', '{broken');
  chosenKeys.recall();
  expect(chosenKeys.of('mute')).toBe('u');
});
