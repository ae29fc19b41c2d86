import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { PairPlayer } from './pair-player';

interface Ramp {
  to: number;
  at: number;
}
const made: { starts: number[]; gains: { value: number; ramps: Ramp[] }[]; stopped: number } = {
  starts: [],
  gains: [],
  stopped: 0,
};
let clock = 0;

class FakeContext {
  destination = {};
  get currentTime(): number {
    return clock;
  }
  resume = () => Promise.resolve();
  decodeAudioData = () => Promise.resolve({ duration: 8 });
  createGain() {
    const gain = { value: 0, ramps: [] as Ramp[] };
    made.gains.push(gain);
    return {
      gain: {
        get value() {
          return gain.value;
        },
        setValueAtTime: (value: number) => (gain.value = value),
        linearRampToValueAtTime: (to: number, at: number) => {
          gain.ramps.push({ to, at });
          gain.value = to;
        },
        cancelScheduledValues: () => undefined,
      },
      connect: () => undefined,
    };
  }
  createBufferSource() {
    return {
      buffer: null,
      loop: false,
      connect: (to: { connect: () => void }) => to,
      start: (at: number) => made.starts.push(at),
      stop: () => (made.stopped += 1),
    };
  }
}

beforeEach(() => {
  Object.assign(made, { starts: [], gains: [], stopped: 0 });
  clock = 1;
  vi.stubGlobal('AudioContext', FakeContext);
});
afterEach(() => vi.unstubAllGlobals());

test('both begin with the same sample and only one is heard', async () => {
  const player = new PairPlayer();
  await player.play(new ArrayBuffer(1), new ArrayBuffer(1));
  expect(new Set(made.starts).size).toBe(1);
  expect(made.starts).toHaveLength(2);
  expect(made.gains.map((gain) => gain.value)).toEqual([1, 0]);
});

test('a switch moves both over the same few milliseconds, to one and to nothing', async () => {
  const player = new PairPlayer();
  await player.play(new ArrayBuffer(1), new ArrayBuffer(1));
  clock = 3;
  player.choose('other');
  expect(made.gains.map((gain) => gain.ramps)).toEqual([[{ to: 0, at: 3.008 }], [{ to: 1, at: 3.008 }]]);
  expect(made.starts).toHaveLength(2);
  player.choose('other');
  expect(made.gains[0]?.ramps).toHaveLength(1);
});

test('it goes round and round until it is stopped', async () => {
  const player = new PairPlayer();
  await player.play(new ArrayBuffer(1), new ArrayBuffer(1));
  clock = 1.02 + 10;
  expect(player.share).toBeCloseTo(0.25);
  player.stop();
  expect(made.stopped).toBe(2);
  expect(player.playing).toBe(false);
  expect(player.share).toBe(0);
});
