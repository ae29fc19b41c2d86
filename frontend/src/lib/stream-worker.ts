/** The shared worker that holds the one event stream of all pages. */

import { Session } from './session';
import { openEvents, StreamHub, type HubMessage, type PageKey, type PageMessage } from './stream-hub';

interface Connected extends Event {
  ports: MessagePort[];
}

const session = new Session();
const hub = new StreamHub(openEvents, async () => {
  session.distrust();
  return (await session.met()) === 'ours';
});

self.addEventListener('connect', (event) => {
  const port = (event as Connected).ports[0];
  if (!port) return;
  const page = { postMessage: (message: HubMessage) => port.postMessage(message) };
  port.onmessage = ({ data }: MessageEvent<PageMessage | PageKey>) => {
    if (typeof data === 'string') hub.hear(page, data);
    else session.key = data.key;
  };
});
