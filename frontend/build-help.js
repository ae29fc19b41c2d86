/** Writes the documents for users as pages under help/, which the build then packs with the page's own look. */
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import MarkdownIt from 'markdown-it';

const DOCS = new URL('../docs/', import.meta.url);
const OUT = new URL('./help/', import.meta.url);
const PAGES = JSON.parse(readFileSync(new URL('./help-pages.json', import.meta.url), 'utf8'));

const markdown = new MarkdownIt();
const link = markdown.renderer.rules.link_open ?? ((tokens, i, options, _, self) => self.renderToken(tokens, i, options));

/** A heading's name in an address, as common hosts of such files make it. */
function anchor(title) {
  return title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .trim()
    .replace(/\s+/g, '-');
}

markdown.renderer.rules.heading_open = (tokens, i, options, _, self) => {
  tokens[i].attrSet('id', anchor(tokens[i + 1].content));
  return self.renderToken(tokens, i, options);
};

// Between the pages one goes on here; what only lies beside the code is named and not led to.
markdown.renderer.rules.link_open = (tokens, i, options, environment, self) => {
  const [file, place] = tokens[i].attrGet('href').split('#');
  const page = PAGES.find((name) => `${name}.md` === file);
  tokens[i].attrs = page || !file ? [['href', `${page ? `./${page}.html` : ''}${place ? `#${place}` : ''}`]] : [];
  return link(tokens, i, options, environment, self);
};

markdown.renderer.rules.image = (tokens, i) => {
  const source = tokens[i].attrGet('src');
  return `<img src="../../docs/${source}" alt="${markdown.utils.escapeHtml(tokens[i].content)}" />`;
};

// Wide tables and lines of commands scroll by themselves, by keys too.
markdown.renderer.rules.code_block = (tokens, i) =>
  `<pre tabindex="0" role="region" aria-label="Commands"><code>${markdown.utils.escapeHtml(tokens[i].content)}</code></pre>`;
markdown.renderer.rules.fence = markdown.renderer.rules.code_block;
markdown.renderer.rules.table_open = () => '<div class="table" tabindex="0" role="region" aria-label="Table"><table>';
markdown.renderer.rules.table_close = () => '</table></div>';

function titleOf(text) {
  return /^# (.+)$/m.exec(text)?.[1] ?? '';
}

const pages = PAGES.map((name) => {
  const text = readFileSync(new URL(`${name}.md`, DOCS), 'utf8');
  return { name, title: titleOf(text), body: markdown.render(text) };
});

rmSync(OUT, { recursive: true, force: true });
mkdirSync(OUT);
for (const page of pages) {
  const others = pages
    .map(
      ({ name, title }) =>
        `<li><a href="./${name}.html"${name === page.name ? ' aria-current="page"' : ''}>${title}</a></li>`,
    )
    .join('\n');
  writeFileSync(
    new URL(`${page.name}.html`, OUT),
    `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8" />
    <meta name="viewport" content="width=device-width, initial-scale=1" />
    <meta name="color-scheme" content="light dark" />
    <title>${page.title} · Obsidian Wren</title>
    <link rel="icon" href="/src/wren.svg" type="image/svg+xml" />
    <script type="module" src="/src/help.ts"></script>
  </head>
  <body>
    <nav aria-label="Documents">
      <p><a href="/">Obsidian Wren</a></p>
      <ul>
${others}
      </ul>
    </nav>
    <main>
${page.body}
    </main>
  </body>
</html>
`,
  );
}
