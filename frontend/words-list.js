/** Every message of the page, file by file, as JSON: what the catalogue is written from (`make sentences`). */

import { readdirSync, readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { saidIn } from './words.js';

const SOURCE = new URL('src/', import.meta.url).pathname;

/** The messages by file, pairs for what counts. */
function listed() {
  const files = readdirSync(SOURCE, { recursive: true, withFileTypes: true })
    .filter(
      (entry) =>
        entry.isFile() && /\.(svelte|ts)$/.test(entry.name) && !/(^words|generated|\.test|\.d)\.ts$/.test(entry.name),
    )
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
  const found = files.map((path) => {
    const messages = saidIn(readFileSync(path, 'utf8'), path.endsWith('.svelte'))
      .filter((one) => one.kind !== 'mark')
      .map((one) => JSON.stringify(one.message));
    return [relative(SOURCE, path), [...new Set(messages)].map((text) => JSON.parse(text))];
  });
  return Object.fromEntries(found.filter(([, messages]) => messages.length));
}

process.stdout.write(JSON.stringify(listed()));
