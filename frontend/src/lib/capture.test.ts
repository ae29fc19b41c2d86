import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { until } from './until';
import { Capture, LiveCapture, notObeyed } from './capture';

it('names just the processing that stayed on', () => {
  expect(notObeyed({ echoCancellation: false, noiseSuppression: true, autoGainControl: true })).toEqual([
    'noise suppression',
    'auto gain',
  ]);
  expect(notObeyed({ echoCancellation: false, noiseSuppression: false })).toEqual([]);
});

class FakeTrack extends EventTarget {
  stopped = false;
  settings: MediaTrackSettings = { autoGainControl: true };
  getSettings = () => this.settings;
  stop = () => void (this.stopped = true);
}

class FakeContext {
  static made: FakeContext[] = [];
  state = 'running';
  sampleRate = 44100;
  audioWorklet = { addModule: async () => undefined };
  constructor() {
    FakeContext.made.push(this);
  }
  createMediaStreamSource = () => ({ connect: () => undefined });
  close = async () => void (this.state = 'closed');
}

/** The worklet that gathers; a test says when a piece is there. */
class FakeWorklet {
  static made: FakeWorklet[] = [];
  port: { onmessage: ((event: { data: Float32Array }) => void) | null } = { onmessage: null };
  constructor(
    _context: unknown,
    _name: string,
    readonly options: { processorOptions: { seconds: number } },
  ) {
    FakeWorklet.made.push(this);
  }
  give(value: number): void {
    this.port.onmessage?.({ data: new Float32Array([value]) });
  }
}

let track: FakeTrack;
let asked: { url: string; method: string | undefined; body: unknown }[];
let refuse: DOMException | null;
let wanted: MediaStreamConstraints | null;
let answer: (url: string) => Response;

const worklet = async (): Promise<FakeWorklet> => {
  await until(() => expect(FakeWorklet.made).toHaveLength(1));
  return FakeWorklet.made[0]!;
};
const urls = () => asked.map((call) => call.url);

beforeEach(() => {
  track = new FakeTrack();
  asked = [];
  refuse = null;
  wanted = null;
  FakeContext.made = [];
  FakeWorklet.made = [];
  answer = () => new Response(JSON.stringify({ take_id: 'k1', enough: false, ok: true }));
  vi.stubGlobal('AudioContext', FakeContext);
  vi.stubGlobal('AudioWorkletNode', FakeWorklet);
  vi.stubGlobal('fetch', async (what: string | Request, init?: RequestInit) => {
    const url = what instanceof Request ? new URL(what.url).pathname : what;
    asked.push({ url, method: what instanceof Request ? what.method : init?.method, body: init?.body });
    return answer(url);
  });
  vi.stubGlobal('navigator', {
    mediaDevices: {
      getUserMedia: async (constraints: MediaStreamConstraints) => {
        wanted = constraints;
        if (refuse) throw refuse;
        return { getTracks: () => [track], getAudioTracks: () => [track] };
      },
    },
  });
});
afterEach(() => vi.unstubAllGlobals());

describe('a take of the browser’s microphone', () => {
  it('asks for it raw, sends piece after piece, ends when it is whole, and closes the microphone', async () => {
    const done = new Capture('talk', 1).run();
    const gatherer = await worklet();
    expect(wanted?.audio).toEqual({
      channelCount: 1,
      echoCancellation: false,
      noiseSuppression: false,
      autoGainControl: false,
    });
    expect(gatherer.options.processorOptions.seconds).toBe(0.25);
    gatherer.give(0);
    await until(() => expect(urls()).toContain('/api/takes/browser'));
    for (let i = 1; i < 6; i++) gatherer.give(i);
    await done;
    const pieces = urls().filter((url) => url.startsWith('/api/takes/browser/'));
    expect(pieces).toEqual([0, 1, 2, 3].map((number) => `/api/takes/browser/k1/${number}`));
    expect(urls().at(-1)).toBe('/api/takes/stop');
    expect(JSON.parse(asked[0]?.body as string)).toMatchObject({ rate_hz: 44100, not_obeyed: ['auto gain'] });
    expect(track.stopped).toBe(true);
    expect(FakeContext.made[0]?.state).toBe('closed');
  });

  it('ends early when the program has enough', async () => {
    answer = (url) => new Response(JSON.stringify({ take_id: 'k1', enough: url.endsWith('/1') }));
    const done = new Capture('talk', 30).run();
    const gatherer = await worklet();
    for (let i = 0; i < 3; i++) gatherer.give(i);
    await done;
    expect(urls().at(-1)).toBe('/api/takes/stop');
  });

  it('is stopped by hand', async () => {
    const capture = new Capture('rest', 15);
    const done = capture.run();
    await worklet();
    await until(() => expect(urls()).toContain('/api/takes/browser'));
    await new Promise((resolve) => setTimeout(resolve, 5));
    capture.stop();
    await done;
    expect(urls().at(-1)).toBe('/api/takes/stop');
  });

  it('keeps what came before the microphone went away, and says so', async () => {
    const done = new Capture('rest', 15).run();
    const said = expect(done).rejects.toThrow(/was disconnected after \d+ s; what came before is saved/);
    const gatherer = await worklet();
    gatherer.give(0);
    await until(() => expect(urls()).toContain('/api/takes/browser/k1/0'));
    track.dispatchEvent(new Event('ended'));
    await said;
    expect(urls()).toContain('/api/takes/stop');
    expect(track.stopped).toBe(true);
  });

  it('says what to do when the browser may not, finds none, or another program has it', async () => {
    for (const [name, words] of [
      ['NotAllowedError', 'Allow it in the address bar'],
      ['NotFoundError', 'Plug one in'],
      ['NotReadableError', 'Close it there'],
      ['AbortError', 'could not be opened'],
    ] as const) {
      refuse = new DOMException('no', name);
      await expect(new Capture('rest', 15).run()).rejects.toThrow(words);
    }
    expect(urls()).toEqual([]);
  });

  it('tells a refusal of the program and closes the microphone', async () => {
    answer = () => new Response(JSON.stringify({ code: 'disk', sentence: 'The disk is full.' }), { status: 422 });
    await expect(new Capture('rest', 15).run()).rejects.toThrow('The disk is full.');
    expect(track.stopped).toBe(true);
  });
});

describe('the live microphone', () => {
  it('sends only once it is live, and tells when it goes away', async () => {
    const sent: number[] = [];
    const ended = vi.fn();
    const live = new LiveCapture(async (piece) => void sent.push(piece[0] ?? -1));
    let open: (live: boolean) => void = () => undefined;
    const started = live.start((rateHz) => {
      expect(rateHz).toBe(44100);
      return new Promise((resolve) => (open = resolve));
    }, ended);
    const gatherer = await worklet();
    await until(() => expect(open.length).toBe(1));
    gatherer.give(1);
    open(true);
    await started;
    gatherer.give(2);
    gatherer.give(3);
    await until(() => expect(sent).toEqual([2, 3]));
    track.dispatchEvent(new Event('ended'));
    expect(ended).toHaveBeenCalledWith(expect.stringContaining('The microphone was disconnected'));
    await live.stop();
    expect(track.stopped).toBe(true);
  });

  it('lets go of the microphone when the program refuses', async () => {
    await new LiveCapture(async () => undefined).start(async () => false, vi.fn());
    expect(track.stopped).toBe(true);
  });

  it('ends once when a piece finds nobody', async () => {
    const ended = vi.fn();
    const live = new LiveCapture(async () => {
      throw new Error('gone');
    });
    await live.start(async () => true, ended);
    const gatherer = await worklet();
    gatherer.give(1);
    gatherer.give(2);
    await until(() => expect(ended).toHaveBeenCalledOnce());
    expect(ended).toHaveBeenCalledWith(null, new Error('gone'));
  });
});
