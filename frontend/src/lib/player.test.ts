import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Player } from './player';

/** Records what is set on a parameter, and when. */
class FakeParam {
  set: [number, number][] = [];
  setValueAtTime = (value: number, at: number) => void this.set.push([value, at]);
  linearRampToValueAtTime = this.setValueAtTime;
  setTargetAtTime = () => undefined;
  value = 0;
}

class FakeNode {
  gain = new FakeParam();
  frequency = new FakeParam();
  Q = new FakeParam();
  type = '';
  buffer: { duration: number } | null = null;
  onended: (() => void) | null = null;
  started: [number, number] | null = null;
  stopped: number | null = null;
  connect = (to: unknown) => to;
  disconnect = () => undefined;
  start = (at: number, offset: number) => void (this.started = [at, offset]);
  stop = (at = 0) => void (this.stopped = at);
}

class FakeContext {
  static made: FakeContext;
  currentTime = 0;
  destination = new FakeNode();
  sources: FakeNode[] = [];
  gains: FakeNode[] = [];
  decoded: ((buffer: { duration: number }) => void)[] = [];
  constructor() {
    FakeContext.made = this;
  }
  resume = async () => undefined;
  decodeAudioData = () => new Promise((resolve) => this.decoded.push(resolve));
  createBiquadFilter = () => new FakeNode();
  createGain = () => this.#kept(this.gains);
  createBufferSource = () => this.#kept(this.sources);
  #kept(list: FakeNode[]): FakeNode {
    list.push(new FakeNode());
    return list.at(-1)!;
  }
}

let player: Player;

beforeEach(() => {
  vi.stubGlobal('AudioContext', FakeContext);
  player = new Player();
});

async function play(seconds: number, fromS = 0): Promise<FakeNode> {
  const playing = player.play(new ArrayBuffer(8), fromS);
  FakeContext.made.decoded.at(-1)!({ duration: seconds });
  await playing;
  return FakeContext.made.sources.at(-1)!;
}

describe('playing', () => {
  it('begins at once and at full level, and follows the clock to the end', async () => {
    const source = await play(10, 2);
    expect(source.started).toEqual([0, 2]);
    expect(FakeContext.made.gains[0]!.gain.set).toEqual([[1, 0]]);
    FakeContext.made.currentTime = 3.5;
    expect(player.position).toBe(5.5);
    FakeContext.made.currentTime = 60;
    expect(player.position).toBe(10);
  });

  it('goes over into another version where it is, fading one out while the other comes in', async () => {
    const first = await play(10);
    FakeContext.made.currentTime = 4;
    const second = await play(10, 0);
    expect(second.started).toEqual([4, 4]);
    const [before, after] = FakeContext.made.gains.map((node) => node.gain.set).filter((set) => set.length);
    expect(before!.slice(-2)).toEqual([
      [1, 4],
      [0, 4.008],
    ]);
    expect(after).toEqual([
      [0, 4],
      [1, 4.008],
    ]);
    expect(first.stopped).toBe(4.008);
    expect(first.onended).toBeNull();
    FakeContext.made.currentTime = 5;
    expect(player.position).toBe(5);
  });

  it('goes over to what was prepared at the very moment, decoding nothing and within ten milliseconds', async () => {
    await play(10);
    const ready = player.prepare('treated', new ArrayBuffer(8));
    FakeContext.made.decoded.at(-1)!({ duration: 10 });
    await ready;
    FakeContext.made.currentTime = 4;
    expect(player.goOver('raw')).toBe(false);
    expect(player.goOver('treated')).toBe(true);
    expect(FakeContext.made.sources.at(-1)!.started).toEqual([4, 4]);
    const [before, after] = FakeContext.made.gains.map((node) => node.gain.set).filter((set) => set.length);
    expect([before!.at(-1), after!.at(-1)]).toEqual([
      [0, 4.008],
      [1, 4.008],
    ]);
  });

  it('keeps the newest seven that were prepared, and begins with one where nothing plays', async () => {
    for (const name of ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h']) {
      const ready = player.prepare(name, new ArrayBuffer(8));
      FakeContext.made.decoded.at(-1)!({ duration: 10 });
      await ready;
    }
    expect(['a', 'b', 'h'].map((name) => player.isPrepared(name))).toEqual([false, true, true]);
    expect(player.goOver('a')).toBe(false);
    expect(player.goOver('h')).toBe(true);
    expect(player.playing).toBe(true);
  });

  it('does not begin what was stopped, or overtaken, while it was decoded', async () => {
    const stopped = player.play(new ArrayBuffer(8), 0);
    player.stop();
    FakeContext.made.decoded[0]!({ duration: 5 });
    await stopped;
    expect(FakeContext.made.sources).toHaveLength(0);
    const late = player.play(new ArrayBuffer(8), 0);
    await play(7);
    FakeContext.made.decoded[1]!({ duration: 5 });
    await late;
    expect(FakeContext.made.sources.map((source) => source.buffer?.duration)).toEqual([7]);
  });

  it('tells its end, but not that it was stopped', async () => {
    player.onended = vi.fn();
    (await play(3)).onended!();
    expect(player.onended).toHaveBeenCalledOnce();
    expect(player.playing).toBe(false);
    const source = await play(3);
    player.stop();
    expect([source.stopped, source.onended, player.position]).toEqual([0, null, 0]);
    expect(player.onended).toHaveBeenCalledOnce();
  });
});
