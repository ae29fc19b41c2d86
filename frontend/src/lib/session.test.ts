import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { digest, Session } from './session';

const KEY = 'a key of this port';
let session: Session;
let asked: { url: string; how: RequestInit }[];
let answers: (url: URL) => Promise<Response> | Response;

const ok = (body: object) => new Response(JSON.stringify(body));

/** What a program does that knows the key. */
async function program(url: URL): Promise<Response> {
  const mine = url.searchParams.get('nonce');
  if (mine === null) return ok({ key: KEY });
  if (url.searchParams.has('proof')) return ok({});
  return ok({ nonce: 'theirs', proof: await digest(KEY, `program ${mine} theirs`) });
}

beforeEach(async () => {
  session = new Session();
  asked = [];
  answers = program;
  vi.stubGlobal('fetch', async (url: string, how: RequestInit = {}) => {
    asked.push({ url, how });
    return answers(new URL(url, 'http://127.0.0.1:1'));
  });
  await session.remember();
  asked = [];
});
afterEach(() => vi.unstubAllGlobals());

it('signs as the program does', async () => {
  // HMAC-SHA-256 of RFC 4231, test case 2.
  expect(await digest('Jefe', 'what do ya want for nothing?')).toBe(
    '5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843',
  );
});

it('asks nothing while the connection lasts', async () => {
  expect(await session.met()).toBe('ours');
  expect(asked).toEqual([]);
});

it('asks for the proof without cookies first, then for the cookie of the new start, once for all who wait', async () => {
  session.distrust();
  expect(await Promise.all([session.met(), session.met()])).toEqual(['ours', 'ours']);
  expect(asked.map(({ how }) => [how.method ?? 'GET', how.credentials])).toEqual([
    ['GET', 'omit'],
    ['POST', undefined],
  ]);
  const [first, second] = asked.map(({ url }) => new URL(url, 'http://127.0.0.1:1').searchParams);
  expect(second!.get('proof')).toBe(await digest(KEY, `page ${first!.get('nonce')} theirs`));
  expect(await session.met()).toBe('ours');
  expect(asked).toHaveLength(2);
});

it.each([
  ['another program', () => new Response('<h1>Hello</h1>')],
  [
    'a proof under another key',
    async (url: URL) => {
      const proof = await digest('other', `program ${url.searchParams.get('nonce')} theirs`);
      return ok({ nonce: 'theirs', proof });
    },
  ],
  ['our own answer sent back', (url: URL) => ok({ nonce: url.searchParams.get('nonce')!, proof: 'x' })],
  ['a refusal', () => new Response('{}', { status: 401 })],
])('sends %s its nonce and no more', async (_name, answer) => {
  session.distrust();
  answers = answer;
  expect(await session.met()).toBe('stranger');
  expect(asked).toHaveLength(1);
  expect(asked[0]!.how.credentials).toBe('omit');
  expect(asked[0]!.url).not.toContain(KEY);
});

it('tells that nobody answers, and meets the program once it is back', async () => {
  session.distrust();
  answers = () => Promise.reject(new TypeError('failed'));
  expect(await session.met()).toBe('nobody');
  answers = program;
  expect(await session.met()).toBe('ours');
});
