/**
 * Who is at the other end. Whoever starts a program after ours has ended may get its port, and a browser does not tell the two apart. So a
 * page keeps a key in its memory, and after a lost connection sends nothing before the program has proved that it knows the key as well:
 * the page's nonce goes out without cookies, the answer is held against the key, and only then is the cookie of the new start asked for.
 */

import { t } from './words';

interface Challenge {
  nonce: string;
  proof: string;
}

const NONCE_BYTES = 24;
const PATIENCE_MS = 10_000;

export const STRANGER = t(
  'Another program answers at this address, and nothing was sent to it. Start Obsidian Wren again, then open the address it prints.',
);

/** What a proof came to: it is ours, it is somebody else's, or nobody answers. */
export type Met = 'ours' | 'stranger' | 'nobody';

/** The signed text under a key, as `web/access.py` makes it. */
export async function digest(key: string, text: string): Promise<string> {
  const bytes = new TextEncoder();
  const held = await crypto.subtle.importKey('raw', bytes.encode(key), { name: 'HMAC', hash: 'SHA-256' }, false, [
    'sign',
  ]);
  const signed = await crypto.subtle.sign('HMAC', held, bytes.encode(text));
  return Array.from(new Uint8Array(signed), (byte) => byte.toString(16).padStart(2, '0')).join('');
}

function freshNonce(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(NONCE_BYTES));
  return btoa(String.fromCharCode(...bytes))
    .replaceAll('+', '-')
    .replaceAll('/', '_');
}

export class Session {
  /** Undefined before it is known; null where the program asks for no token. */
  #key: string | null | undefined;
  /** The page itself was served by the program a moment ago. */
  #trusted = true;
  #proving: Promise<Met> | null = null;

  get trusted(): boolean {
    return this.#trusted;
  }

  get key(): string | null | undefined {
    return this.#key;
  }

  set key(key: string | null | undefined) {
    this.#key = key;
  }

  /** Ask for the key, while the program is known to be ours. */
  async remember(): Promise<void> {
    if (!this.#trusted) return;
    const answer = await fetch('/api/session').catch(() => null);
    if (answer?.ok && this.#trusted) this.#key = ((await answer.json()) as { key: string | null }).key;
  }

  /** The connection was lost: whoever answers next has to prove itself. */
  distrust(): void {
    this.#trusted = false;
  }

  /** Before anything is sent: at once while the connection lasts, else once the program has proved itself. */
  async met(): Promise<Met> {
    // Without a key there is nothing to prove with, and no cookie that is worth anything.
    if (this.#trusted || this.#key === null || this.#key === undefined) return 'ours';
    this.#proving ??= this.#prove(this.#key).finally(() => (this.#proving = null));
    return this.#proving;
  }

  async #prove(key: string): Promise<Met> {
    const mine = freshNonce();
    const ask = (query: string, how: RequestInit) =>
      fetch(`/api/session?${query}`, { signal: AbortSignal.timeout(PATIENCE_MS), redirect: 'error', ...how });
    try {
      const answer = await ask(`nonce=${mine}`, { credentials: 'omit' });
      const { nonce, proof } = (await answer.json().catch(() => ({}))) as Partial<Challenge>;
      if (typeof nonce !== 'string' || proof !== (await digest(key, `program ${mine} ${nonce}`))) return 'stranger';
      const answered = await digest(key, `page ${mine} ${nonce}`);
      const renewed = await ask(`nonce=${encodeURIComponent(nonce)}&proof=${answered}`, { method: 'POST' });
      if (!renewed.ok) return 'stranger';
    } catch {
      return 'nobody';
    }
    this.#trusted = true;
    return 'ours';
  }
}

export const session = new Session();
