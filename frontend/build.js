/**
 * Builds the page: in English, and in every language that has a catalogue among the program's own. WREN_LANGUAGE and WREN_PAGE build it
 * once more, in the language of one catalogue (vite.config.ts).
 */
import { fileURLToPath } from 'node:url';
import { build } from 'vite';
import { writeHelp } from './build-help.js';
import { catalogues } from './words.js';

const PROGRAM = fileURLToPath(new URL('../src/obsidian_wren/', import.meta.url));

for (const name of [null, ...catalogues()]) {
  const tag = name?.replace('.po', '') ?? 'en';
  process.env.WREN_LANGUAGE = name ? `${PROGRAM}languages/${name}` : '';
  process.env.WREN_PAGE = name ? `${PROGRAM}web/static-${tag}` : '';
  writeHelp(tag);
  await build({ logLevel: 'warn' });
}
