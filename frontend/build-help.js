/** The documents for users as pages under help/, which the build then packs with the page's own look. */
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import MarkdownIt from 'markdown-it';

const DOCS = new URL('../docs/', import.meta.url);
const OUT = new URL('./help/', import.meta.url);
const PAGES = JSON.parse(readFileSync(new URL('./help-pages.json', import.meta.url), 'utf8'));

const markdown = new MarkdownIt();
const link =
  markdown.renderer.rules.link_open ?? ((tokens, i, options, _, self) => self.renderToken(tokens, i, options));

/** A heading's name in an address, as common hosts of such files make it. */
function anchor(title) {
  return title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .trim()
    .replace(/\s+/g, '-');
}

/** Headings have the names of the English ones in every language, so that one address leads to each. */
markdown.renderer.rules.heading_open = (tokens, i, options, environment, self) => {
  tokens[i].attrSet('id', environment.anchors?.shift() ?? anchor(tokens[i + 1].content));
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
  const source = tokens[i].attrGet('src').replace('../', '');
  return `<img src="../../docs/${source}" alt="${markdown.utils.escapeHtml(tokens[i].content)}" />`;
};

// Wide tables and lines of commands scroll by themselves, by keys too.
markdown.renderer.rules.code_block = (tokens, i) =>
  `<pre tabindex="0" role="region"><code>${markdown.utils.escapeHtml(tokens[i].content)}</code></pre>`;
markdown.renderer.rules.fence = markdown.renderer.rules.code_block;
markdown.renderer.rules.table_open = () => '<div class="table" tabindex="0" role="region"><table>';
markdown.renderer.rules.table_close = () => '</table></div>';

function titleOf(text) {
  return /^# (.+)$/m.exec(text)?.[1] ?? '';
}

const headings = (text) =>
  markdown
    .parse(text, {})
    .flatMap(({ type }, i, tokens) => (type === 'heading_open' ? [anchor(tokens[i + 1].content)] : []));

/** Write them in a language, by its tag; what is not there in it is in English. */
export function writeHelp(tag) {
  const pages = PAGES.map((name) => {
    const english = new URL(`${name}.md`, DOCS);
    const own = new URL(`${tag}/${name}.md`, DOCS);
    const text = readFileSync(existsSync(own) ? own : english, 'utf8');
    const anchors = headings(readFileSync(english, 'utf8'));
    return { name, lang: existsSync(own) ? tag : 'en', title: titleOf(text), body: markdown.render(text, { anchors }) };
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
<html lang="${page.lang}">
  <head>
    <meta charset="utf-8" />
    <meta name="viewport" content="width=device-width, initial-scale=1" />
    <meta name="color-scheme" content="light dark" />
    <title>${page.title} · Obsidian Wren</title>
    <link rel="icon" href="/src/wren.svg" type="image/svg+xml" />
    <script type="module" src="/src/help.ts"></script>
  </head>
  <body>
    <nav>
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
}
