import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vitest/config';
// Written as pages by build-help.js.
import documents from './help-pages.json' with { type: 'json' };
import { catalogues, languageOf, words } from './words.js';

const { env } = (globalThis as unknown as { process: { env: Record<string, string | undefined> } }).process;
// The page is built for one language at a time: English, or that of a catalogue (build.js).
const catalogue = env.WREN_LANGUAGE || undefined;
// What can be chosen in the page.
const languages = ['en', ...catalogues().map((name) => name.replace('.po', ''))];

export default defineConfig({
  plugins: [words(await languageOf(catalogue)), svelte()],
  define: { LANGUAGES: JSON.stringify(languages) },
  build: {
    outDir: env.WREN_PAGE || '../src/obsidian_wren/web/static',
    emptyOutDir: true,
    target: 'es2022',
    // Only a page that is looked at by tests is left as it is, since that is faster.
    minify: !env.WREN_PLAIN,
    // Fonts and the capture worklet stay files: the content security policy allows no data: for them.
    assetsInlineLimit: 0,
    // One page, loaded from the same machine.
    chunkSizeWarningLimit: 2000,
    rolldownOptions: {
      // How long the build takes is seen anyway.
      checks: { pluginTimings: false },
      input: ['index.html', ...documents.map((name) => `help/${name}.html`)],
    },
    modulePreload: { polyfill: false },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8642' } },
  // As slow as any machine may be: the bound only ends what would never come.
  test: { include: ['src/**/*.test.ts'], testTimeout: 120_000, hookTimeout: 120_000 },
});
