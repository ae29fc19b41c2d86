/**
 * One event stream for every page of this browser. A browser opens six connections to a program and no more, so a stream for each page would
 * leave none for what is asked. The hub runs in a worker that all pages share, or in the page itself where there is no such worker.
 */

export type StreamState = 'open' | 'lost';

/** What a page is told: an event of the program, or whether there is a connection. */
export type HubMessage = { kind: string; data: string } | { state: StreamState };

/** What a page says: that it is there, whether anybody looks at it, that it goes. */
export type PageMessage = 'here' | 'shown' | 'hidden' | 'gone';

/** What a page knows of the program, for a worker that is to prove it. */
export interface PageKey {
  key: string | null;
}

export interface HubPort {
  postMessage: (message: HubMessage) => void;
}

export const EVENTS = [
  'hello',
  'changed',
  'progress',
  'frame',
  'live',
  'working',
  'trouble',
  'noticed',
  'still',
] as const;

/** The program says something every five seconds. */
export const SILENT_MS = 12_000;
/** What is told many times a second, to whoever looks. */
const MEASURED = ['frame', 'live'];
const RETRY_MS = [300, 1000, 2000, 4000];

/** A stream of the program's events, with what is measured or without. */
export function openEvents(measured: boolean): EventSource {
  return new EventSource(measured ? '/api/events' : '/api/events?measured=false');
}

export class StreamHub {
  #ports = new Map<HubPort, boolean>();
  #source: EventSource | null = null;
  /** Whether what is measured comes too. */
  #measured = false;
  #state: StreamState = 'lost';
  #told: string | null = null;
  #failures = 0;
  #retry: ReturnType<typeof setTimeout> | undefined;
  #watch: ReturnType<typeof setTimeout> | undefined;

  /** `open`: a stream, with what is measured or without. `proved`: whether the program has proved itself, asked for before each opening. */
  constructor(
    readonly open: (measured: boolean) => EventSource,
    readonly proved: () => Promise<boolean> = () => Promise.resolve(true),
  ) {}

  hear(port: HubPort, message: PageMessage): void {
    if (message === 'gone') this.#ports.delete(port);
    else this.#ports.set(port, message !== 'hidden');
    if (!this.#ports.size) return this.#close();
    // A tab that nobody looks at shows in its title what changes, and needs no more.
    const other = this.#source !== null && this.#measured !== this.#looked;
    if (other) this.#close();
    if (!this.#source && this.#retry === undefined) this.#come();
    else if (message !== 'hidden' && message !== 'gone') this.#welcome(port);
  }

  get #looked(): boolean {
    return [...this.#ports.values()].some((shown) => shown);
  }

  /** A page that comes to a stream that runs already is told what is newest, so that it knows whether what it shows is old. */
  #welcome(port: HubPort): void {
    if (this.#told !== null && this.#state === 'open') port.postMessage({ kind: 'hello', data: this.#told });
    port.postMessage({ state: this.#state });
  }

  /** The page that opens the first stream was served by the program a moment ago; later, it has to prove itself. */
  #come(): void {
    if (this.#told === null) this.#begin();
    else this.#retry = setTimeout(() => void this.#again(), 0);
  }

  /** Open again after a loss, once the program has proved itself: a browser hands its cookies to whoever answers. */
  async #again(): Promise<void> {
    const turn = this.#retry;
    const proved = await this.proved();
    // Whoever looked may have gone meanwhile, or another one come.
    if (this.#retry !== turn || turn === undefined) return;
    if (proved) this.#begin();
    else this.#lose();
  }

  #begin(): void {
    this.#retry = undefined;
    this.#measured = this.#looked;
    const source = (this.#source = this.open(this.#measured));
    this.#listen();
    for (const kind of EVENTS) {
      source.addEventListener(kind, (event) => {
        if (this.#source === source) this.#pass(kind, event.data as string);
      });
    }
    source.onerror = () => {
      if (this.#source === source) this.#lose();
    };
  }

  #pass(kind: string, data: string): void {
    this.#listen();
    this.#failures = 0;
    if (kind === 'hello' || kind === 'changed') this.#told = data;
    if (this.#state === 'lost') this.#tell({ state: (this.#state = 'open') });
    if (kind !== 'still') this.#tell({ kind, data });
  }

  #tell(message: HubMessage): void {
    const forAll = !('kind' in message && MEASURED.includes(message.kind));
    for (const [port, shown] of this.#ports) if (shown || forAll) port.postMessage(message);
  }

  /** Whoever says nothing for long is gone, even where the connection still stands. */
  #listen(): void {
    clearTimeout(this.#watch);
    this.#watch = setTimeout(() => this.#lose(), SILENT_MS);
  }

  #lose(): void {
    this.#shut();
    this.#state = 'lost';
    this.#tell({ state: 'lost' });
    // A refusal ends a stream for good as the browser sees it; it is opened again all the same.
    this.#retry = setTimeout(() => void this.#again(), RETRY_MS[Math.min(this.#failures++, RETRY_MS.length - 1)]);
  }

  #close(): void {
    this.#shut();
    this.#state = 'lost';
    this.#failures = 0;
  }

  #shut(): void {
    clearTimeout(this.#watch);
    clearTimeout(this.#retry);
    this.#retry = undefined;
    this.#source?.close();
    this.#source = null;
  }
}
