import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { until } from './until';
import type { Overview, RigFields } from './api';

/** A live microphone that is never opened; a test says when a piece of it finds nobody. */
const microphone = vi.hoisted(() => {
  const ended: (sentence: string | null, why?: unknown) => void = () => undefined;
  return { open: false, ended };
});
vi.mock('./capture', async (original) => ({
  ...(await original<typeof import('./capture')>()),
  LiveCapture: class {
    async start(goLive: (rateHz: number) => Promise<boolean>, ended: typeof microphone.ended) {
      microphone.ended = ended;
      microphone.open = await goLive(48000);
    }
    async stop() {
      microphone.open = false;
    }
  },
}));

/** A page without a stream, until a test gives it one. */
class NoEvents {
  addEventListener() {}
  close() {}
}
Object.assign(globalThis, { EventSource: NoEvents });

/** What the pages of a test do when they go: a stream that was lost would else be opened again in the next test, and hear its news. */
const goes: (() => void)[] = [];
const leave = () => goes.splice(0).forEach((go) => go());

const rig: RigFields & { id: number; absolute_gain: boolean; things: object[] } = {
  absolute_gain: true,
  id: 1,
  name: 'Loft desk',
  microphone_id: 1,
  interface_id: 1,
  room_id: 1,
  distance_cm: 22,
  angle_deg: 20,
  height_cm: 0,
  pop_screen: false,
  foam: false,
  shock_mount: false,
  support: 'arm',
  rate_hz: 48000,
  bits: 24,
  source: 'simulated',
  phantom_on: true,
  aim_low_dbfs: -15,
  aim_high_dbfs: -10,
  things: [],
};

function overview(change: object = {}): Overview {
  const steps = ['rig', 'quiet', 'gain', 'tone', 'send'].map((name) => ({
    name,
    title: name,
    status: 'open',
    why: null,
  }));
  const base = {
    rig,
    steps,
    takes: [],
    halves: [],
    progress: null,
    quiet: null,
    talk: null,
    gain_plan: null,
    watch: { on: false, purpose: null },
    seconds: { rest: 15, 'in-use': 20, talk: 30, passage: 40, clap: 6 },
    until_steady_s: 45,
    settings: [],
    stages: [],
  };
  const rest = { tone: null, delivery: null, diagram: [], inputs: [], destinations: [], recordings: [], message: null };
  return { ...base, ...rest, run: { live: false, marker: 'idle' }, ...change } as unknown as Overview;
}

class FakeParam {
  value = 0;
  setValueAtTime = vi.fn();
  linearRampToValueAtTime = vi.fn();
  setTargetAtTime = vi.fn();
}

class FakeNode {
  gain = new FakeParam();
  frequency = new FakeParam();
  Q = new FakeParam();
  type = '';
  buffer: unknown = null;
  onended: (() => void) | null = null;
  connect = vi.fn((to: unknown) => to);
  disconnect = vi.fn();
  start = vi.fn();
  stop = vi.fn();
}

/** Sound that is never heard: a clock that stands, and every node that was made. */
class FakeContext {
  static made: FakeContext | null = null;
  currentTime = 0;
  destination = new FakeNode();
  sources: FakeNode[] = [];
  filters: FakeNode[] = [];
  constructor() {
    FakeContext.made = this;
  }
  resume = vi.fn(async () => undefined);
  decodeAudioData = vi.fn(async () => ({ duration: 30 }));
  createGain = () => new FakeNode();
  createBufferSource = () => this.#kept(this.sources);
  createBiquadFilter = () => this.#kept(this.filters);
  #kept(list: FakeNode[]): FakeNode {
    list.push(new FakeNode());
    return list.at(-1)!;
  }
}

interface Call {
  want?: string;
  method: string;
  url: string;
  body: Record<string, unknown> | null;
}

let calls: Call[];
let answers: (call: Call) => Promise<Response> | Response;
let desk: typeof import('./state.svelte').desk;
let place: typeof import('./place.svelte').place;
let playback: typeof import('./playback.svelte').playback;
let taking: typeof import('./taking.svelte').taking;
let onAir: typeof import('./on-air.svelte').onAir;

function ok(body: unknown): Response {
  return new Response(JSON.stringify(body), { status: 200 });
}

beforeEach(async () => {
  calls = [];
  answers = () => ok(overview());
  FakeContext.made = null;
  vi.stubGlobal('AudioContext', FakeContext);
  // A page that somebody looks at, in a browser without a worker to share.
  vi.stubGlobal('document', Object.assign(new EventTarget(), { visibilityState: 'visible' }));
  vi.stubGlobal('addEventListener', (kind: string, go: () => void) => kind === 'pagehide' && goes.push(go));
  vi.stubGlobal('requestAnimationFrame', () => 0);
  vi.stubGlobal('localStorage', { setItem: vi.fn(), getItem: () => null });
  vi.stubGlobal('fetch', async (what: string | Request, init?: RequestInit) => {
    const asked = what instanceof Request ? what : null;
    const text = asked ? await asked.text() : typeof init?.body === 'string' ? init.body : null;
    const address = asked ? new URL(asked.url) : null;
    const url = address ? address.pathname + address.search : String(what);
    const want = asked?.headers.get('Wren-Want') ?? (init?.headers as Record<string, string>)?.['Wren-Want'];
    const call = { want, method: asked?.method ?? init?.method ?? 'GET', url, body: text ? JSON.parse(text) : null };
    calls.push(call);
    return answers(call);
  });
  vi.stubGlobal('URL', Object.assign(URL, { createObjectURL: () => 'blob:x', revokeObjectURL: () => undefined }));
  vi.resetModules();
  ({ desk } = await import('./state.svelte'));
  ({ place } = await import('./place.svelte'));
  ({ playback } = await import('./playback.svelte'));
  ({ taking } = await import('./taking.svelte'));
  ({ onAir } = await import('./on-air.svelte'));
  await desk.refresh();
});

afterEach(() => {
  leave();
  vi.unstubAllGlobals();
});

describe('the desk', () => {
  it('shows the sentence of a refusal and keeps what it showed', async () => {
    answers = () => new Response(JSON.stringify({ code: 'not-live', sentence: 'Start live first.' }), { status: 422 });
    expect(await desk.do('post', '/api/marker')).toBe(false);
    expect(desk.trouble).toBe('Start live first.');
    expect(desk.overview?.rig.name).toBe('Loft desk');
    expect(desk.busy).toBe(false);
  });

  it('ends what is worked out without waiting for its turn', async () => {
    const asked: string[] = [];
    let come = (): void => undefined;
    answers = ({ url }) => {
      asked.push(url);
      if (url.endsWith('/derive/end')) return new Response('{}', { status: 200 });
      return new Promise((resolve) => (come = () => resolve(new Response('{}', { status: 422 }))));
    };
    const waiting = desk.do('post', '/api/derive');
    await until(() => expect(asked).toHaveLength(1));
    desk.endWork();
    await until(() => expect(asked.at(-1)).toContain('/api/derive/end'));
    come();
    expect(await waiting).toBe(false);
  });

  it('says that it works where an answer is late, and no longer', async () => {
    vi.useFakeTimers();
    let come = (): void => undefined;
    answers = () => new Promise((resolve) => (come = () => resolve(new Response('{}', { status: 500 }))));
    const asked = desk.do('post', '/api/marker');
    await vi.advanceTimersByTimeAsync(140);
    expect(desk.slow).toBe(false);
    await vi.advanceTimersByTimeAsync(20);
    expect(desk.slow).toBe(true);
    come();
    await asked;
    expect(desk.slow).toBe(false);
    vi.useRealTimers();
  });

  it('says so when the program does not answer', async () => {
    answers = () => Promise.reject(new TypeError('failed'));
    await desk.do('post', '/api/marker');
    expect(desk.trouble).toContain('does not answer');
  });

  it('lets no quick edit overwrite the one before', async () => {
    let kept = { ...rig };
    answers = async (call) => {
      if (call.method === 'PUT') {
        await new Promise((resolve) => setTimeout(resolve, call.body?.name === 'Loft' ? 30 : 1));
        kept = { ...kept, ...(call.body as object) };
      }
      return ok(overview({ rig: kept }));
    };
    desk.editRig({ name: 'Loft' });
    desk.editRig({ angle_deg: 40 });
    await taking.take();
    desk.editRig({ distance_cm: 15 });
    await until(() => expect(desk.overview?.rig.distance_cm).toBe(15));
    expect(desk.overview?.rig).toMatchObject({ name: 'Loft', angle_deg: 40, distance_cm: 15 });
  });

  it('goes on to the next step once one is confirmed, and stays when it is refused', async () => {
    place.step = 'quiet';
    await desk.confirm('quiet');
    expect(place.step).toBe('gain');
    const late = desk.confirm('gain');
    place.step = 'rig';
    await late;
    expect(place.step).toBe('rig');
    place.step = 'gain';
    answers = () => new Response('{"code":"not-yet","sentence":"Read the passage first."}', { status: 422 });
    await desk.confirm('gain');
    expect(place.step).toBe('gain');
  });

  it('adds quick presses of a knob up', async () => {
    let position = 32;
    answers = (call) => {
      if (call.url.endsWith('controls')) position = call.body?.position as number;
      return ok(overview({ controls: [{ key: 'preamp', position, low: 0, high: 34 }] }));
    };
    await desk.refresh();
    const presses = [desk.nudge('preamp', 1), desk.nudge('preamp', 1), desk.nudge('preamp', 1)];
    await Promise.all(presses);
    expect(desk.overview?.controls[0]?.position).toBe(34);
    await desk.nudge('preamp', -3);
    expect(calls.at(-1)?.body).toEqual({ control: 'preamp', position: 31 });
  });

  it('shows a nudge before the program has answered, and what it answers then', async () => {
    const setting = (value: number) => ({
      stage: 'highpass',
      name: 'frequency_hz',
      value,
      step: 1,
      low: 20,
      high: 200,
    });
    let pinned = 70;
    answers = (call) => {
      if (call.method === 'PATCH') pinned = call.body?.value as number;
      return ok(overview({ settings: [setting(pinned)], working_out: false }));
    };
    await desk.refresh();
    const presses = [1, 2, 3].map(() => desk.nudgeSetting('highpass', 'frequency_hz', 1));
    expect(desk.overview?.settings[0]?.value).toBe(73);
    expect(desk.overview?.working_out).toBe(true);
    await Promise.all(presses);
    expect(calls.filter((call) => call.method === 'PATCH').map((call) => call.body?.value)).toEqual([73]);
    expect(desk.overview?.settings[0]?.value).toBe(73);
    expect(desk.overview?.working_out).toBe(false);
  });

  it('takes what belongs to the step, for as long as the step needs', async () => {
    for (const [step, purpose, seconds] of [
      ['quiet', 'rest', 15],
      ['gain', 'talk', 45],
      ['tone', 'passage', 40],
    ] as const) {
      place.step = step;
      await taking.take();
      expect(calls.at(-1)).toMatchObject({ url: '/api/takes', body: { purpose, seconds } });
    }
    place.step = 'gain';
    taking.untilSteady = false;
    await taking.take();
    expect(calls.at(-1)).toMatchObject({ body: { purpose: 'talk', seconds: 30, until_steady: false } });
    const before = calls.length;
    place.step = 'send';
    await taking.take();
    expect(calls.length).toBe(before);
  });

  it('hears the newest usable take of the step, loudness-matched or not', async () => {
    const take = (id: number, purpose: string, fault: string | null) => ({
      id,
      purpose,
      fault,
      notes: [],
      current: true,
    });
    answers = () =>
      ok(overview({ takes: [take(1, 'talk', null), take(2, 'talk', null), take(3, 'talk', 'No voice.')] }));
    await desk.refresh();
    place.step = 'gain';
    playback.hear('treated');
    const asked = (url: string) => calls.some((call) => call.url === url);
    await until(() => expect(asked('/api/takes/2/sound?version=treated&matched=true')).toBe(true));
    playback.matched = false;
    playback.hear('raw');
    await until(() => expect(asked('/api/takes/2/sound?version=raw&matched=false')).toBe(true));
    await until(() => expect(playback.playing).toBe('raw'));
    playback.stopSound();
    expect(playback.playing).toBeNull();
  });
  it('stays silent when it was stopped before the sound came', async () => {
    const talk = { id: 2, purpose: 'talk', fault: null, notes: [], current: true };
    answers = () => ok(overview({ takes: [talk] }));
    await desk.refresh();
    place.step = 'gain';
    let arrive: () => void = () => undefined;
    answers = (call) =>
      call.url.includes('/sound') ? new Promise((resolve) => (arrive = () => resolve(ok({})))) : ok(overview());
    playback.hear('raw');
    await until(() => expect(calls.some((call) => call.url.includes('/sound'))).toBe(true));
    playback.stopSound();
    arrive();
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(playback.playing).toBeNull();
    expect(FakeContext.made?.sources ?? []).toHaveLength(0);
  });

  it('goes over to another version at the same moment, and leaves a stage out without stopping', async () => {
    const talk = { id: 2, purpose: 'talk', fault: null, notes: [], current: true };
    answers = () => ok(overview({ takes: [talk], delivery: {} }));
    await desk.refresh();
    place.step = 'steady';
    playback.hear('treated');
    await until(() => expect(playback.playing).toBe('treated'));
    const context = FakeContext.made!;
    context.currentTime = 4.5;
    playback.leaveOut('gate');
    await until(() => expect(context.sources).toHaveLength(2));
    expect(calls.some((call) => call.url.endsWith('&off=gate'))).toBe(true);
    expect(context.sources[1]!.start).toHaveBeenCalledWith(4.5, 4.5);
    expect(context.sources[0]!.stop.mock.calls[0]![0]).toBeGreaterThan(4.5);
    playback.leaveOut('gate');
    await until(() => expect(context.sources).toHaveLength(3));
    expect(playback.without).toEqual([]);
  });

  it('hears a part alone, and slides the probe without wiring anew', async () => {
    const talk = { id: 2, purpose: 'talk', fault: null, notes: [], current: true };
    answers = () => ok(overview({ takes: [talk], delivery: {} }));
    await desk.refresh();
    playback.hear('raw');
    await until(() => expect(playback.playing).toBe('raw'));
    const context = FakeContext.made!;
    playback.listen('low');
    expect(context.filters.map((filter) => filter.type)).toEqual(['lowpass', 'lowpass']);
    playback.listen('probe', 800);
    const probe = context.filters.at(-1)!;
    expect([probe.type, probe.frequency.value, probe.gain.value]).toEqual(['peaking', 800, 12]);
    playback.listen('probe', 900);
    expect(probe.frequency.setTargetAtTime).toHaveBeenCalledWith(900, 0, 0.01);
    expect(context.filters).toHaveLength(3);
    playback.listen('probe', 99_999);
    expect(playback.probeHz).toBe(16_000);
  });

  it('does one thing after another', async () => {
    const order: string[] = [];
    answers = async (call) => {
      await new Promise((resolve) => setTimeout(resolve, call.url.endsWith('destinations') ? 30 : 1));
      order.push(call.url);
      return ok(overview());
    };
    void desk.do('put', '/api/destinations/{key}/picks', {
      params: { path: { key: 'call' } },
      body: { picks: 'Wren: voice' },
    });
    await desk.do('post', '/api/marker');
    expect(order).toEqual(['/api/destinations/call/picks', '/api/marker']);
  });

  it('goes live without a microphone only where none is needed', async () => {
    await onAir.goLive();
    expect(calls.at(-1)).toMatchObject({ method: 'POST', url: '/api/run/start', body: {} });
  });
});

describe('news of a change', () => {
  const told: Record<string, (event: { data: string }) => void> = {};
  const lost: { now?: () => void } = {};
  let revision: number;

  const hello = (number: number) => told.hello!({ data: JSON.stringify({ revision: number }) });
  const fetched = () => calls.filter((call) => call.method === 'GET').length;
  const news = (number: number) => told.changed!({ data: JSON.stringify({ revision: number }) });

  beforeEach(async () => {
    revision = 7;
    answers = () => ok(overview({ revision }));
    class FakeEvents {
      addEventListener(kind: string, hear: (event: { data: string }) => void) {
        told[kind] = hear;
      }
      set onerror(fail: () => void) {
        lost.now = fail;
      }
      close() {}
    }
    vi.stubGlobal('EventSource', FakeEvents);
    await desk.open();
    calls = [];
  });

  it('and whether there is a connection at all', async () => {
    hello(7);
    expect(desk.lostSince).toBeNull();
    lost.now!();
    expect(desk.lostSince).not.toBeNull();
  });

  it('in another language loads the page in it', () => {
    const reload = vi.fn();
    vi.stubGlobal('location', { reload });
    told.hello!({ data: JSON.stringify({ revision: 7, language: 'en' }) });
    expect(reload).not.toHaveBeenCalled();
    told.hello!({ data: JSON.stringify({ revision: 7, language: 'es' }) });
    expect(reload).toHaveBeenCalledOnce();
  });

  it('is not asked for again by a page that is gone', async () => {
    const heard = told.hello;
    lost.now!();
    leave();
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect(told.hello).toBe(heard);
  });

  it('that an answer brought along is not fetched again', async () => {
    answers = async () => {
      news((revision = 8));
      return ok(overview({ revision }));
    };
    await desk.do('post', '/api/marker');
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(desk.overview?.revision).toBe(8);
    expect(fetched()).toBe(0);
  });

  it('that is shown already is not fetched when the stream opens', async () => {
    hello(7);
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(fetched()).toBe(0);
    revision = 9;
    hello(9);
    await until(() => expect(desk.overview?.revision).toBe(9));
    expect(fetched()).toBe(1);
  });

  it('from elsewhere is fetched, many at once once more', async () => {
    revision = 12;
    [8, 9, 10, 11, 12].forEach(news);
    await until(() => expect(desk.overview?.revision).toBe(12));
    expect(fetched()).toBe(1);
  });

  it('that came while another was fetched is fetched after it', async () => {
    answers = async () => {
      const old = revision;
      if (old === 8) news((revision = 9));
      return ok(overview({ revision: old }));
    };
    news((revision = 8));
    await until(() => expect(desk.overview?.revision).toBe(9));
    expect(fetched()).toBe(2);
  });

  it('that was asked for while another step was shown does not leave this one behind', async () => {
    // Every part has the revision as its word; an answer carries what was wanted.
    const want = (call: Call) => (call.want ?? 'rig,tone').split(',');
    const answer = (call: Call) => {
      const have = Object.fromEntries(want(call).map((part) => [part, String(revision)]));
      return ok(overview({ revision, have, tone: want(call).includes('tone') ? { of: revision } : undefined }));
    };
    answers = answer;
    await desk.refresh();
    place.step = 'quiet';
    let let_go: () => void = () => undefined;
    const held = new Promise<void>((resolve) => (let_go = resolve));
    answers = async (call) => {
      const kept = answer(call);
      await held;
      return kept;
    };
    news((revision = 8));
    await until(() => expect(fetched()).toBeGreaterThan(1));
    answers = answer;
    // The news was asked for from Quiet; the person is on Rig when it comes.
    place.step = 'rig';
    let_go();
    await until(() => expect(desk.overview?.tone).toMatchObject({ of: 8 }));
  });

  it('never brings back what was before', async () => {
    revision = 9;
    await desk.refresh();
    revision = 8;
    await desk.refresh();
    expect(desk.overview?.revision).toBe(9);
  });

  it('counts from elsewhere once the program was started anew', async () => {
    revision = 3;
    hello(3);
    await until(() => expect(desk.overview?.revision).toBe(3));
    news((revision = 4));
    await until(() => expect(desk.overview?.revision).toBe(4));
  });
});

describe('a microphone of this page that is live', () => {
  const told: Record<string, (event: { data: string }) => void> = {};
  let run: { live: boolean; wanted: boolean };

  const begun = () => calls.filter((call) => call.url === '/api/run/start').length;

  beforeEach(async () => {
    run = { live: false, wanted: false };
    answers = (call) => {
      if (call.url === '/api/run/start') run = { live: true, wanted: true };
      if (call.url === '/api/run/stop') run = { live: false, wanted: false };
      return ok(overview({ rig: { ...rig, source: 'browser' }, run: { ...run, marker: 'idle' } }));
    };
    class FakeEvents {
      addEventListener(kind: string, hear: (event: { data: string }) => void) {
        told[kind] = hear;
      }
      close() {}
    }
    vi.stubGlobal('EventSource', FakeEvents);
    await desk.open();
    await onAir.goLive();
    expect([run.live, microphone.open, begun()]).toEqual([true, true, 1]);
  });

  async function lose(code: string): Promise<void> {
    const { Refusal } = await import('./api');
    microphone.ended(null, new Refusal(code, 'Gone.'));
    await until(() => expect(microphone.open).toBe(false));
  }

  it.each(['lost', 'not-live'])('goes on by itself when the program is back (%s)', async (code) => {
    await lose(code);
    run = { live: false, wanted: true };
    told.hello!({ data: '{"revision":2}' });
    await until(() => expect(begun()).toBe(2));
    expect(microphone.open).toBe(true);
    expect(calls.map((call) => call.url)).not.toContain('/api/run/stop');
  });

  it('stays closed where somebody stopped it meanwhile', async () => {
    await lose('lost');
    run = { live: false, wanted: false };
    told.hello!({ data: '{"revision":2}' });
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect([begun(), microphone.open]).toEqual([1, false]);
  });

  it('stays closed after a press of stop, and stops where a piece is refused for another reason', async () => {
    await onAir.stopLive();
    run = { live: false, wanted: true };
    told.hello!({ data: '{"revision":2}' });
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(begun()).toBe(1);
    await onAir.goLive();
    await lose('disk-full');
    await until(() => expect(run).toEqual({ live: false, wanted: false }));
  });
});

describe('the keys', () => {
  async function press(key: string, target: object = { tagName: 'BODY' }, more: object = {}): Promise<boolean> {
    const { onKey } = await import('./keys');
    const event = { key, target, preventDefault: vi.fn(), ctrlKey: false, metaKey: false, altKey: false, ...more };
    onKey(event as unknown as KeyboardEvent);
    return event.preventDefault.mock.calls.length > 0;
  }

  it('go to steps by number', async () => {
    await press('4');
    expect(place.step).toBe('tone');
    await press('9');
    expect(place.step).toBe('tone');
  });

  it('leave typing alone', async () => {
    await press('3', { tagName: 'INPUT' });
    expect(place.step).toBe('rig');
    expect(await press('l', { tagName: 'SELECT' })).toBe(false);
    expect(await press('l', undefined, { ctrlKey: true })).toBe(false);
  });

  it('match loudness, open and close the help', async () => {
    await press('l');
    expect(playback.matched).toBe(false);
    await press('?');
    expect(place.help).toBe(true);
    await press('Escape');
    expect(place.help).toBe(false);
  });

  it('pin and nudge what was chosen', async () => {
    const { chosen } = await import('./keys');
    const nudge = vi.fn();
    chosen.nudge = nudge;
    chosen.pin = vi.fn();
    await press('[');
    await press(']');
    await press('p');
    expect(nudge.mock.calls).toEqual([[-1], [1]]);
    expect(chosen.pin).toHaveBeenCalledOnce();
  });

  it('play a clip with Shift and its number, and leave other numbers with Shift alone', async () => {
    answers = () => ok(overview({ clips: [{ id: 7, key: '2' }] }));
    await desk.refresh();
    const before = place.step;
    await press('"', undefined, { shiftKey: true, code: 'Digit2' });
    expect(calls.at(-1)).toMatchObject({ url: '/api/clips/7/press', body: { down: true } });
    const sent = calls.length;
    expect(await press('!', undefined, { shiftKey: true, code: 'Digit1' })).toBe(false);
    expect([calls.length, place.step]).toEqual([sent, before]);
  });

  it('undo, and make again with Shift', async () => {
    await press('z', undefined, { ctrlKey: true });
    await press('Z', undefined, { ctrlKey: true, shiftKey: true });
    await until(() => expect(calls.slice(-2).map((call) => call.url)).toEqual(['/api/undo', '/api/redo']));
    expect(await press('z', { tagName: 'INPUT' }, { ctrlKey: true })).toBe(false);
  });

  it('leave the space bar to a focused button', async () => {
    expect(await press(' ', { tagName: 'BUTTON' })).toBe(false);
  });

  it('send the marker only from Send', async () => {
    const before = calls.length;
    await press('m');
    expect(calls.length).toBe(before);
    place.step = 'send';
    await press('m');
    await until(() => expect(calls.at(-1)?.url).toBe('/api/marker'));
  });
});
