import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { SILENT_MS, StreamHub, type HubMessage, type HubPort } from './stream-hub';

class FakeSource {
  static made: FakeSource[] = [];
  closed = false;
  onerror: (() => void) | null = null;
  #hear: Record<string, (event: { data: string }) => void> = {};
  constructor(readonly measured: boolean) {
    FakeSource.made.push(this);
  }
  addEventListener(kind: string, hear: (event: { data: string }) => void) {
    this.#hear[kind] = hear;
  }
  close() {
    this.closed = true;
  }
  say(kind: string, data = '{}') {
    this.#hear[kind]!({ data });
  }
}

class Page implements HubPort {
  told: HubMessage[] = [];
  postMessage = (message: HubMessage) => void this.told.push(message);
}

let hub: StreamHub;
const newest = () => FakeSource.made.at(-1)!;
const open = () => FakeSource.made.filter((source) => !source.closed).length;

let proves: boolean;

beforeEach(() => {
  vi.useFakeTimers();
  FakeSource.made = [];
  proves = true;
  hub = new StreamHub(
    (measured) => new FakeSource(measured) as unknown as EventSource,
    async () => proves,
  );
});
afterEach(() => void vi.useRealTimers());

it('holds one stream for ten pages, and tells each', () => {
  const pages = Array.from({ length: 10 }, () => new Page());
  pages.forEach((page) => hub.hear(page, 'shown'));
  expect(FakeSource.made).toHaveLength(1);
  newest().say('hello', '{"revision":4}');
  newest().say('changed', '{"revision":5}');
  for (const page of pages) {
    expect(page.told).toContainEqual({ state: 'open' });
    expect(page.told.at(-1)).toEqual({ kind: 'changed', data: '{"revision":5}' });
  }
});

it('tells a page that comes later what is newest', () => {
  hub.hear(new Page(), 'shown');
  newest().say('hello', '{"revision":4}');
  newest().say('changed', '{"revision":9}');
  const late = new Page();
  hub.hear(late, 'shown');
  expect(late.told).toEqual([{ kind: 'hello', data: '{"revision":9}' }, { state: 'open' }]);
});

it('tells who does not look what changes, and asks for no measurement where nobody looks', async () => {
  const [first, second] = [new Page(), new Page()];
  hub.hear(first, 'shown');
  hub.hear(second, 'shown');
  newest().say('hello', '{"revision":1}');
  hub.hear(first, 'hidden');
  newest().say('live', '{"load":1}');
  newest().say('changed', '{"revision":2}');
  expect(first.told).not.toContainEqual({ kind: 'live', data: '{"load":1}' });
  expect(first.told).toContainEqual({ kind: 'changed', data: '{"revision":2}' });
  expect(second.told).toContainEqual({ kind: 'live', data: '{"load":1}' });
  hub.hear(second, 'hidden');
  await vi.advanceTimersByTimeAsync(0);
  expect([open(), newest().measured]).toEqual([1, false]);
  hub.hear(first, 'shown');
  await vi.advanceTimersByTimeAsync(0);
  expect([open(), newest().measured]).toEqual([1, true]);
  hub.hear(first, 'gone');
  hub.hear(second, 'gone');
  expect(open()).toBe(0);
});

it('opens nothing again to whoever does not prove itself, and goes on where it does', async () => {
  const page = new Page();
  hub.hear(page, 'shown');
  newest().say('hello');
  proves = false;
  newest().onerror!();
  await vi.advanceTimersByTimeAsync(60_000);
  expect(FakeSource.made).toHaveLength(1);
  hub.hear(page, 'hidden');
  hub.hear(page, 'shown');
  await vi.advanceTimersByTimeAsync(60_000);
  expect(FakeSource.made).toHaveLength(1);
  expect(page.told.at(-1)).toEqual({ state: 'lost' });
  proves = true;
  await vi.advanceTimersByTimeAsync(4000);
  expect(open()).toBe(1);
});

it('opens again after it broke off, ever later, and at once when it is back', async () => {
  const page = new Page();
  hub.hear(page, 'shown');
  newest().say('hello');
  newest().onerror!();
  expect(page.told.at(-1)).toEqual({ state: 'lost' });
  await vi.advanceTimersByTimeAsync(300);
  expect(FakeSource.made).toHaveLength(2);
  newest().onerror!();
  await vi.advanceTimersByTimeAsync(300);
  expect(FakeSource.made).toHaveLength(2);
  await vi.advanceTimersByTimeAsync(700);
  expect(FakeSource.made).toHaveLength(3);
  newest().say('hello', '{"revision":3}');
  expect(page.told.slice(-2)).toEqual([{ state: 'open' }, { kind: 'hello', data: '{"revision":3}' }]);
  expect(open()).toBe(1);
});

it('takes silence for a connection that is gone', () => {
  const page = new Page();
  hub.hear(page, 'shown');
  newest().say('hello');
  vi.advanceTimersByTime(SILENT_MS - 1);
  newest().say('still');
  vi.advanceTimersByTime(SILENT_MS - 1);
  expect(page.told).not.toContainEqual({ state: 'lost' });
  vi.advanceTimersByTime(1);
  expect(page.told.at(-1)).toEqual({ state: 'lost' });
  // What a stream says that was let go is nothing to anybody.
  FakeSource.made[0]!.say('hello');
  expect(page.told.at(-1)).toEqual({ state: 'lost' });
});
