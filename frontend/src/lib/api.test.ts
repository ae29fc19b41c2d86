import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import * as api from './api';

interface Asked {
  url: string;
  method: string | undefined;
  body: unknown;
  type: string | undefined;
}

let asked: Asked[];
let answer: () => Response | Promise<Response>;

const json = (body: unknown, status = 200) => new Response(JSON.stringify(body), { status });

beforeEach(() => {
  asked = [];
  answer = () => json({ ok: true });
  vi.stubGlobal('fetch', async (what: string | Request, init?: RequestInit) => {
    if (what instanceof Request) {
      const body = (await what.text()) || undefined;
      const type = what.headers.get('Content-Type') ?? undefined;
      asked.push({ url: new URL(what.url).pathname, method: what.method, body, type });
      return answer();
    }
    const headers = init?.headers as Record<string, string> | undefined;
    asked.push({ url: what, method: init?.method, body: init?.body, type: headers?.['Content-Type'] });
    return answer();
  });
});
afterEach(() => vi.unstubAllGlobals());

describe('what is asked of the program', () => {
  it('goes under /api, with JSON where there is a body', async () => {
    await api.act('patch', '/api/settings', { body: { stage: 'gate', name: 'range_db', value: 3, pinned: true } });
    await api.act('post', '/api/undo');
    expect(asked[0]).toMatchObject({ url: '/api/settings', method: 'PATCH', type: 'application/json' });
    expect(JSON.parse(asked[0]?.body as string)).toMatchObject({ value: 3 });
    expect(asked[1]).toMatchObject({ url: '/api/undo', method: 'POST', type: undefined });
    expect(asked[1]?.body).toBeUndefined();
  });

  it('asks five things at once, and what waits only of a program that still answers', async () => {
    vi.resetModules();
    const fresh = await import('./api');
    const { session } = await import('./session');
    session.key = 'a key';
    let fail: () => void = () => undefined;
    const lost = new Promise<Response>((_, no) => (fail = () => no(new TypeError('Failed to fetch'))));
    answer = () => lost;
    const all = Promise.allSettled(Array.from({ length: 8 }, () => fresh.getState()));
    await Promise.resolve();
    expect(asked).toHaveLength(5);
    fail();
    await all;
    // The other three ask for a proof, together, before anything else.
    expect(asked.map((call) => call.url.split('=')[0])).toEqual([...Array(5).fill('/api/state'), '/api/session?nonce']);
  });

  it('carries sound as raw floats', async () => {
    const piece = new Float32Array([0.5, -0.25, 1]);
    await api.sendWatch(piece);
    await api.sendLive(piece);
    await api.sendPiece('abc', 7, piece);
    expect(asked.map((call) => call.url)).toEqual(['/api/watch/piece', '/api/run/piece', '/api/takes/browser/abc/7']);
    for (const call of asked) expect(new Float32Array(call.body as ArrayBuffer)).toEqual(piece);
  });

  it('carries a file with what is known of it, and leaves out what is not', async () => {
    const file = new File(['x'], 'loft.wav');
    await api.sendFile('talk', file, null);
    await api.sendFile('dial', file, 2, { position: 3.5, learns: 'slider' });
    const [plain, told] = asked.map((call) => Object.fromEntries((call.body as FormData).entries()));
    expect(Object.keys(plain ?? {}).sort()).toEqual(['file', 'purpose']);
    expect(told).toMatchObject({ purpose: 'dial', channel: '2', position: '3.5', learns: 'slider' });
  });

  it('brings responses and targets the same way', async () => {
    const file = new File(['20 0'], 'curve.txt');
    await api.sendResponse(file);
    await api.sendFileTo('targets', file);
    expect(asked.map((call) => call.url)).toEqual(['/api/response', '/api/targets']);
    for (const call of asked) expect(((call.body as FormData).get('file') as File).name).toBe('curve.txt');
  });

  it('begins a take of the browser and tells whether it has enough', async () => {
    answer = () => json({ take_id: 'k1' });
    expect(await api.beginBrowserTake('talk', 44100, 30, ['auto gain'], { until_steady: true })).toBe('k1');
    expect(JSON.parse(asked[0]?.body as string)).toEqual({
      purpose: 'talk',
      rate_hz: 44100,
      seconds: 30,
      not_obeyed: ['auto gain'],
      until_steady: true,
    });
    const piece = new Float32Array(2);
    answer = () => json({ enough: true });
    expect(await api.sendPiece('k1', 0, piece)).toBe(true);
    answer = () => json({ ok: true });
    expect(await api.sendPiece('k1', 1, piece)).toBe(false);
  });

  it('tries a gate, leaves stages out, and fetches frames', async () => {
    await api.tryGate(-42.5, null);
    await api.leaveOutLive(['gate', 'deesser']);
    await api.takeFrames(3, 'treated');
    expect(JSON.parse(asked[0]?.body as string)).toEqual({ threshold_dbfs: -42.5, hysteresis_db: null });
    expect(JSON.parse(asked[1]?.body as string)).toEqual({ off: 'gate,deesser' });
    expect(asked[2]?.url).toBe('/api/takes/3/frames?version=treated');
  });
});

describe('a refusal', () => {
  it('has the sentence and the code that the program gave', async () => {
    answer = () => json({ code: 'no-talk', sentence: 'There is no talk to send yet.' }, 422);
    const error = await api.getState().catch((caught: unknown) => caught);
    expect(error).toBeInstanceOf(api.Refusal);
    expect(error).toMatchObject({ code: 'no-talk', message: 'There is no talk to send yet.' });
  });

  it('says the number where there is no sentence', async () => {
    answer = () => new Response('<html>', { status: 502 });
    await expect(api.getState()).rejects.toThrow('The program answered 502.');
  });

  it('says that nobody answers', async () => {
    answer = () => Promise.reject(new TypeError('failed'));
    const error = await api.act('post', '/api/marker').catch((caught: unknown) => caught);
    expect(error).toMatchObject({ code: 'lost' });
    expect((error as Error).message).toContain('does not answer');
  });
});

it('a program that answers too late is told from one that does not answer', async () => {
  vi.stubGlobal('fetch', async () => {
    throw new DOMException('', 'TimeoutError');
  });
  await expect(api.getState()).rejects.toMatchObject({ code: 'slow' });
  vi.stubGlobal('fetch', async () => {
    throw new TypeError('no connection');
  });
  await expect(api.getState()).rejects.toMatchObject({ code: 'lost' });
});
