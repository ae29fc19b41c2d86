import { beforeEach, describe, expect, it, vi } from 'vitest';
import { onKey, onKeyUp } from './keys';
import { playback } from './playback.svelte';

const event = (key: string) =>
  ({ key, code: '', target: null, preventDefault: () => undefined }) as unknown as KeyboardEvent;

describe('raw against treated by one key', () => {
  let now = 0;
  let flips = 0;

  beforeEach(() => {
    now = 1000;
    flips = 0;
    vi.spyOn(performance, 'now').mockImplementation(() => now);
    vi.spyOn(playback, 'flip').mockImplementation(() => void flips++);
  });

  it('stays with the other version where it is pressed', () => {
    onKey(event('f'));
    now += 120;
    onKeyUp(event('f'));
    expect(flips).toBe(1);
  });

  it('turns back where it was held, however often the keyboard repeats it', () => {
    onKey(event('f'));
    for (let k = 0; k < 20; k++) onKey(event('f'));
    expect(flips).toBe(1);
    now += 900;
    onKeyUp(event('F'));
    expect(flips).toBe(2);
  });

  it('does nothing where another key is let go', () => {
    onKey(event('f'));
    now += 900;
    onKeyUp(event('g'));
    expect(flips).toBe(1);
    onKeyUp(event('f'));
    expect(flips).toBe(2);
  });
});
