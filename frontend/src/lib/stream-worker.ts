/** The shared worker that holds the one event stream of all pages. */

import { StreamHub, type HubMessage, type PageMessage } from './stream-hub';

interface Connected extends Event {
  ports: MessagePort[];
}

const hub = new StreamHub(() => new EventSource('/api/events'));

self.addEventListener('connect', (event) => {
  const port = (event as Connected).ports[0];
  if (!port) return;
  const page = { postMessage: (message: HubMessage) => port.postMessage(message) };
  port.onmessage = (said: MessageEvent<PageMessage>) => hub.hear(page, said.data);
});
