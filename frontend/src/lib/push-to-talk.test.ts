import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { pushToTalk } from './push-to-talk';

const said: boolean[] = [];

beforeEach(() => {
  said.length = 0;
  vi.useFakeTimers();
  vi.stubGlobal('fetch', async (_url: string, how: RequestInit) => {
    said.push((JSON.parse(how.body as string) as { down: boolean }).down);
    return new Response('{}');
  });
});

afterEach(() => {
  pushToTalk.end();
  vi.useRealTimers();
});

describe('a key of push-to-talk', () => {
  it('says once that it is down, however often the keyboard repeats it, and that it is let go', () => {
    pushToTalk.begin();
    pushToTalk.begin();
    expect([said, pushToTalk.held]).toEqual([[true], true]);
    pushToTalk.end();
    pushToTalk.end();
    expect([said, pushToTalk.held]).toEqual([[true, false], false]);
  });

  it('says again every second that it is still held, and nothing after that', () => {
    pushToTalk.begin();
    vi.advanceTimersByTime(3100);
    expect(said).toEqual([true, true, true, true]);
    pushToTalk.end();
    vi.advanceTimersByTime(5000);
    expect(said.at(-1)).toBe(false);
    expect(said).toHaveLength(5);
  });
});
