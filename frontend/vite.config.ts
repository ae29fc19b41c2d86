import { svelte } from '@sveltejs/vite-plugin-svelte';
import { defineConfig } from 'vitest/config';
// Written as pages by build-help.js.
import documents from './help-pages.json';

export default defineConfig({
  plugins: [svelte()],
  build: {
    outDir: '../src/obsidian_wren/web/static',
    emptyOutDir: true,
    target: 'es2022',
    minify: 'terser',
    terserOptions: { ecma: 2020, module: true, compress: { passes: 3 } },
    // Fonts and the capture worklet stay files: the content security policy allows no data: for them.
    assetsInlineLimit: 0,
    rollupOptions: { input: ['index.html', ...documents.map((name) => `help/${name}.html`)] },
    modulePreload: { polyfill: false },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8642' } },
  // As slow as any machine may be: the bound only ends what would never come.
  test: { include: ['src/**/*.test.ts'], testTimeout: 120_000, hookTimeout: 120_000 },
});
