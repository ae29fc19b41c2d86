/** What the program tells this page, through the one stream that all pages share. */

import { session } from './session';
import { openEvents, StreamHub, type HubMessage, type PageKey, type PageMessage, type StreamState } from './stream-hub';

export interface Listening {
  /** An event of the program, its data as text. */
  onEvent: (kind: string, data: string) => void;
  onState: (state: StreamState) => void;
}

type Say = (message: PageMessage) => void;

/** The worker, or, where the browser has none to share, a stream of this page's own. */
function connect(take: (message: HubMessage) => void): Say {
  if (typeof SharedWorker !== 'undefined') {
    const worker = new SharedWorker(new URL('./stream-worker.ts', import.meta.url), { type: 'module', name: 'wren' });
    worker.port.onmessage = (event: MessageEvent<HubMessage>) => take(event.data);
    void session.remember().then(() => {
      const known: PageKey = { key: session.key ?? null };
      worker.port.postMessage(known);
    });
    return (message) => worker.port.postMessage(message);
  }
  void session.remember();
  const hub = new StreamHub(openEvents, async () => (await session.met()) === 'ours');
  const page = { postMessage: take };
  return (message) => hub.hear(page, message);
}

/** Listen: to all, while anybody looks at the page or it is `busy` with sound of its own, else to what changes; returns what to call when that changes. */
export function listen(to: Listening, busy: () => boolean): () => void {
  const say = connect((message) => {
    if ('state' in message) {
      if (message.state === 'lost') session.distrust();
      to.onState(message.state);
    } else to.onEvent(message.kind, message.data);
  });
  const tell = () => {
    const looks = document.visibilityState === 'visible' || busy();
    // Nobody hears meanwhile whether the program ends.
    if (!looks) session.distrust();
    say(looks ? 'shown' : 'hidden');
  };
  document.addEventListener('visibilitychange', tell);
  addEventListener('pagehide', () => say('gone'));
  // A page that comes back from the browser's memory is as it was left.
  addEventListener('pageshow', tell);
  tell();
  return tell;
}
