import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { until } from './until';
import { LiveSound, PieceReader } from './live-sound';

function piece(raw: number[], treated: number[], gains: [number, number], chainMs = 2.5): Uint8Array {
  const bytes = new DataView(new ArrayBuffer(16 + 8 * raw.length));
  bytes.setUint32(0, raw.length, true);
  [chainMs, ...gains].forEach((value, i) => bytes.setFloat32(4 + 4 * i, value, true));
  raw.forEach((value, i) => {
    bytes.setFloat32(16 + 8 * i, value, true);
    bytes.setFloat32(20 + 8 * i, treated[i] ?? 0, true);
  });
  return new Uint8Array(bytes.buffer);
}

describe('the stream of the live voice', () => {
  const first = piece([0.5, -0.5], [0.25, -0.25], [-6, 0]);
  const second = piece([1], [0], [0, 3]);
  const stream = new Uint8Array([...first, ...second]);

  it('comes apart in the same pieces however it is cut', () => {
    const whole = new PieceReader().add(stream);
    expect(whole).toHaveLength(2);
    expect([...(whole[0]?.raw ?? [])]).toEqual([0.5, -0.5]);
    expect([...(whole[0]?.treated ?? [])]).toEqual([0.25, -0.25]);
    expect(whole[0]).toMatchObject({ chainMs: 2.5, rawGainDb: -6, treatedGainDb: 0 });
    for (const size of [1, 3, 7, 16, 33]) {
      const reader = new PieceReader();
      const found = [];
      for (let at = 0; at < stream.length; at += size) found.push(...reader.add(stream.slice(at, at + size)));
      expect(found).toEqual(whole);
    }
  });

  it('waits for the rest of a piece', () => {
    const reader = new PieceReader();
    expect(reader.add(first.slice(0, first.length - 1))).toEqual([]);
    expect(reader.add(first.slice(-1))).toHaveLength(1);
  });
});

class FakeParam {
  value = 0;
  setTargetAtTime = vi.fn((target: number) => void (this.value = target));
  cancelScheduledValues = () => undefined;
  setValueAtTime = () => undefined;
  over: number[] = [];
  linearRampToValueAtTime = (target: number, at: number) => {
    this.value = target;
    this.over.push(at);
  };
}

class FakeNode {
  gain = new FakeParam();
  buffer: { duration: number } | null = null;
  startedAt: number | null = null;
  inputs: FakeNode[] = [];
  connect(to: FakeNode): FakeNode {
    to.inputs.push(this);
    return to;
  }
  disconnect(): void {
    return;
  }
  start(at: number): void {
    this.startedAt = at;
  }
}

class FakeContext {
  static made: FakeContext[] = [];
  currentTime = 0;
  outputLatency = 0;
  sampleRate: number;
  closed = false;
  destination = new FakeNode();
  splitter = new FakeNode();
  gains: FakeNode[] = [];
  sources: FakeNode[] = [];
  constructor(options: { sampleRate: number }) {
    this.sampleRate = options.sampleRate;
    FakeContext.made.push(this);
  }
  resume = async () => undefined;
  close = async () => void (this.closed = true);
  createChannelSplitter = () => this.splitter;
  createBuffer = (_channels: number, length: number, rate: number) => ({
    duration: length / rate,
    copyToChannel: () => undefined,
  });
  createGain(): FakeNode {
    this.gains.push(new FakeNode());
    return this.gains.at(-1)!;
  }
  createBufferSource(): FakeNode {
    this.sources.push(new FakeNode());
    return this.sources.at(-1)!;
  }
}

describe('the live voice', () => {
  let give: ReadableStreamDefaultController<Uint8Array>;
  let asked: { url: string; signal?: AbortSignal | null }[];

  beforeEach(() => {
    FakeContext.made = [];
    asked = [];
    vi.stubGlobal('AudioContext', FakeContext);
    vi.stubGlobal('fetch', async (url: string, init?: RequestInit) => {
      asked.push({ url, signal: init?.signal });
      const body = new ReadableStream<Uint8Array>({ start: (controller) => void (give = controller) });
      init?.signal?.addEventListener('abort', () => give.error(new DOMException('stopped', 'AbortError')));
      return new Response(body, { headers: { 'X-Rate': '48000' } });
    });
  });
  afterEach(() => vi.unstubAllGlobals());

  const block = (gains: [number, number] = [-6, -2]) => piece(new Array(1920).fill(0.1), [], gains);

  async function playing(sound: LiveSound): Promise<{ context: FakeContext; done: Promise<void> }> {
    const done = sound.play('/api/live/sound');
    await until(() => expect(FakeContext.made).toHaveLength(1));
    return { context: FakeContext.made[0]!, done };
  }

  it('plays piece after piece without a gap, a little behind', async () => {
    const sound = new LiveSound();
    const { context, done } = await playing(sound);
    expect(context.sampleRate).toBe(48000);
    for (let i = 0; i < 3; i++) give.enqueue(block());
    await until(() => expect(context.sources).toHaveLength(3));
    const starts = context.sources.map((source) => source.startedAt ?? -1);
    expect(starts[0]).toBeGreaterThan(0.02);
    expect(starts[1]! - starts[0]!).toBeCloseTo(0.04, 9);
    expect(starts[2]! - starts[1]!).toBeCloseTo(0.04, 9);
    expect(sound.behindMs).toBeGreaterThan(100);
    give.close();
    await done;
    expect(context.closed).toBe(true);
    expect(sound.behindMs).toBeNull();
  });

  it('starts anew after a gap, and lets go of what piles up', async () => {
    const sound = new LiveSound();
    const { context, done } = await playing(sound);
    give.enqueue(block());
    await until(() => expect(context.sources).toHaveLength(1));
    context.currentTime = 5;
    give.enqueue(block());
    await until(() => expect(context.sources).toHaveLength(2));
    expect(context.sources[1]?.startedAt).toBeGreaterThan(5);
    for (let i = 0; i < 40; i++) give.enqueue(block());
    give.close();
    await done;
    expect(context.sources.length).toBeLessThan(20);
  });

  it('goes from treated to raw by fading, each at its matching gain', async () => {
    const sound = new LiveSound();
    sound.choose('treated', true);
    const { context, done } = await playing(sound);
    give.enqueue(block([-6, -2]));
    await until(() => expect(context.sources).toHaveLength(1));
    const [, matchRaw, matchTreated, raw, treated] = context.gains;
    expect(matchRaw?.gain.value).toBeCloseTo(10 ** (-6 / 20), 6);
    expect(matchTreated?.gain.value).toBeCloseTo(10 ** (-2 / 20), 6);
    expect([raw?.gain.value, treated?.gain.value]).toEqual([0, 1]);
    sound.choose('raw', true);
    expect([raw?.gain.value, treated?.gain.value]).toEqual([1, 0]);
    expect(raw!.gain.over.at(-1)! - context.currentTime).toBeLessThanOrEqual(0.01);
    sound.choose('raw', false);
    expect([matchRaw?.gain.value, matchTreated?.gain.value]).toEqual([1, 1]);
    give.close();
    await done;
  });

  it('is stopped before the first sound without complaint', async () => {
    vi.stubGlobal(
      'fetch',
      (_url: string, init?: RequestInit) =>
        new Promise((_resolve, reject) => {
          init?.signal?.addEventListener('abort', () => reject(new DOMException('stopped', 'AbortError')));
        }),
    );
    const sound = new LiveSound();
    const done = sound.play('/api/live/sound');
    sound.stop();
    await done;
    expect(FakeContext.made).toHaveLength(0);
  });

  it('stops without complaint, and tells the sentence of a refusal', async () => {
    const sound = new LiveSound();
    const { done } = await playing(sound);
    sound.stop();
    await done;
    expect(asked[0]?.signal?.aborted).toBe(true);
    vi.stubGlobal('fetch', async () => new Response(JSON.stringify({ sentence: 'Nothing is live.' }), { status: 422 }));
    await expect(new LiveSound().play('/api/live/sound')).rejects.toThrow('Nothing is live.');
  });
});
