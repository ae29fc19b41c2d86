import { beforeEach, expect, it, vi } from 'vitest';
import { takeFrames, type TakeFrames } from './api';
import { at, Tape } from './tape';

vi.mock('./api', () => ({ takeFrames: vi.fn() }));

const frames = (level: number) => ({ step_s: 0.05, level_dbfs: [level] }) as unknown as TakeFrames;
let tape: Tape;

beforeEach(() => {
  vi.mocked(takeFrames).mockReset();
  tape = new Tape();
});

it('is fetched once for each version of a take and each state of the chain', async () => {
  vi.mocked(takeFrames).mockImplementation(async (_, version) => frames(version === 'raw' ? -20 : -16));
  await tape.load(3, 'raw', 'a');
  await tape.load(3, 'raw', 'a');
  expect(takeFrames).toHaveBeenCalledTimes(1);
  expect(await tape.load(3, 'treated', 'a')).toEqual(frames(-16));
  await tape.load(3, 'treated', 'b');
  expect(takeFrames).toHaveBeenCalledTimes(3);
});

it('never shows what came late over what was asked for since', async () => {
  let late: (found: TakeFrames) => void = () => undefined;
  vi.mocked(takeFrames).mockReturnValueOnce(new Promise((resolve) => (late = resolve)));
  const first = tape.load(1, 'raw', 'a');
  vi.mocked(takeFrames).mockResolvedValueOnce(frames(-30));
  await tape.load(2, 'raw', 'a');
  late(frames(-99));
  await first;
  expect(tape.frames).toEqual(frames(-30));
});

it('is asked for again where it could not be fetched', async () => {
  vi.mocked(takeFrames).mockRejectedValueOnce(new Error('lost')).mockResolvedValueOnce(frames(-20));
  expect(await tape.load(1, 'raw', 'a')).toBeNull();
  expect(await tape.load(1, 'raw', 'a')).toEqual(frames(-20));
});

it('holds the first and the last frame beyond the ends', () => {
  expect([-1, 0.12, 0.2, 9].map((seconds) => at(['a', 'b', 'c'], 0.1, seconds))).toEqual(['a', 'b', 'c', 'c']);
  expect(at([], 0.1, 1)).toBeNull();
});
