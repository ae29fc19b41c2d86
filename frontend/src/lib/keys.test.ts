import { beforeEach, describe, expect, it, vi } from 'vitest';
import { onKey, onKeyUp } from './keys';
import { place } from './place.svelte';
import { playback } from './playback.svelte';

const event = (key: string, target: unknown = null) =>
  ({ key, code: '', target, preventDefault: () => undefined }) as unknown as KeyboardEvent;

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

describe('keys that a control, a dialog or the person keeps', () => {
  const control = (type: string) => ({
    tagName: 'INPUT',
    type,
    matches: (selector: string) => selector.includes('input'),
  });
  let flips = 0;

  beforeEach(() => {
    flips = 0;
    place.help = false;
    place.singleKeys = true;
    vi.spyOn(playback, 'flip').mockImplementation(() => void flips++);
    vi.spyOn(playback, 'togglePlay').mockImplementation(() => void flips++);
  });

  function press(key: string, target: unknown = null): number {
    onKey(event(key, target));
    onKeyUp(event(key));
    return flips;
  }

  it.each(['checkbox', 'radio', 'range'])('works while a %s has the focus', (type) => {
    expect(press('f', control(type))).toBe(1);
  });

  it.each(['checkbox', 'radio', 'range'])('leaves Space to a %s', (type) => {
    expect(press(' ', control(type))).toBe(0);
  });

  it.each(['text', 'number'])('leaves every key to a field for %s', (type) => {
    expect(press('f', control(type))).toBe(0);
  });

  it('does nothing behind a dialog, and the dialog goes by its own key', () => {
    place.help = true;
    expect(press('f')).toBe(0);
    press('?');
    expect(place.help).toBe(false);
    expect(press('f')).toBe(1);
  });

  it('does nothing where single keys are switched off', () => {
    place.singleKeys = false;
    expect(press('f')).toBe(0);
  });
});
