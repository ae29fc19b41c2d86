import { vitePreprocess } from '@sveltejs/vite-plugin-svelte';

/** The styles that a short name stands for. */
const named = new Map();

/** A shorter name than the usual one for what scopes a component's styles: it stands in every element that has some. */
function cssHash({ hash, css }) {
  const name = `w${hash(css).slice(0, 4)}`;
  if ((named.get(name) ?? css) !== css)
    throw new Error(`Two components' styles are called ${name}: take a longer name.`);
  named.set(name, css);
  return name;
}

export default { preprocess: vitePreprocess(), compilerOptions: { cssHash, discloseVersion: false } };
