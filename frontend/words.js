/**
 * The words of the page, taken from its source and, where a page is built in another language, put back in that language.
 *
 * Words are what stands between tags, what certain attributes hold, and what is given to `t` and `counted` (src/lib/words.ts). A message
 * holds the expressions between its words as `{name}`. In the English page markup stays as it is, and calls become the text they stand for.
 */

import { readdirSync, readFileSync } from 'node:fs';
import MagicString from 'magic-string';
import { parse } from 'svelte/compiler';

const SAID = ['title', 'aria-label', 'aria-valuetext', 'placeholder', 'alt', 'label'];
const GIVEN = [...SAID, 'text', 'name', 'what', 'about', 'leave', 'none', 'under', 'heldName', 'summary', 'caption'];
const LETTERS = /\p{L}{2,}/u;

/** Walk a syntax tree; `visit` may return false to go no deeper. */
function walk(node, visit) {
  if (Array.isArray(node)) return node.forEach((each) => walk(each, visit));
  if (!node || typeof node !== 'object' || visit(node) === false) return;
  for (const key of Object.keys(node)) if (key !== 'parent' && key !== 'metadata') walk(node[key], visit);
}

function nameOf(node) {
  switch (node.type) {
    case 'Identifier':
      return node.name;
    case 'MemberExpression':
      return node.computed || node.property.name === 'length' ? nameOf(node.object) : node.property.name;
    case 'CallExpression': {
      const given = node.arguments.find((each) =>
        ['Identifier', 'MemberExpression', 'CallExpression'].includes(each.type),
      );
      if (given) return nameOf(given);
      return nameOf(node.callee.type === 'MemberExpression' ? node.callee.object : node.callee);
    }
    case 'BinaryExpression':
    case 'LogicalExpression':
      return nameOf(node.left.type === 'Literal' ? node.right : node.left);
    case 'ConditionalExpression':
      return nameOf(node.test);
    case 'ChainExpression':
    case 'TSNonNullExpression':
    case 'TSAsExpression':
      return nameOf(node.expression);
    case 'UnaryExpression':
      return nameOf(node.argument);
    default:
      return 'value';
  }
}

/** Words and expressions side by side, as one message with its places. */
function messageOf(parts, source) {
  const places = new Map();
  let message = '';
  for (const part of parts) {
    if (part.type === 'Text') {
      message += part.data;
      continue;
    }
    const code = source.slice(part.expression.start, part.expression.end);
    const plain = nameOf(part.expression).replace(/\W/g, '') || 'value';
    let name = plain;
    for (let more = 2; places.has(name) && places.get(name) !== code; more++) name = `${plain}${more}`;
    places.set(name, code);
    message += `{${name}}`;
  }
  return { message: message.replace(/\s+/g, ' ').trim(), places };
}

/** Stretches of words among what stands side by side between tags. */
function* stretches(nodes) {
  let run = [];
  const done = function* () {
    const words = run.some((node) => node.type === 'Text' && LETTERS.test(node.data));
    const [first, last] = [run.findIndex(isSaid), run.findLastIndex(isSaid)];
    if (words) yield run.slice(first, last + 1);
    run = [];
  };
  for (const node of nodes) {
    if (node.type === 'Text' || node.type === 'ExpressionTag') run.push(node);
    else yield* done();
  }
  yield* done();
}

const isSaid = (node) => node.type !== 'Text' || node.data.trim() !== '';

/** Where a stretch begins and ends in the source, without the space around it. */
function span(parts) {
  const [first, last] = [parts[0], parts.at(-1)];
  const before = first.type === 'Text' ? first.raw.length - first.raw.trimStart().length : 0;
  const after = last.type === 'Text' ? last.raw.length - last.raw.trimEnd().length : 0;
  return { start: first.start + before, end: last.end - after };
}

function literal(node) {
  if (node?.type === 'Literal' && typeof node.value === 'string') return node.value;
  if (node?.type === 'TemplateLiteral' && node.expressions.length === 0) return node.quasis[0].value.cooked;
  return null;
}

function valuesOf(node, source) {
  const places = new Map();
  for (const one of node?.properties ?? [])
    places.set(one.key.name ?? one.key.value, source.slice(one.value.start, one.value.end));
  return places;
}

/** Which of the calls a file has from src/lib/words.ts: others may have names of the kind. */
function imported(source) {
  return new Set(/import \{([^}]*)\} from '[./\w]*\/words'/.exec(source)?.[1].match(/\w+/g));
}

/**
 * What is said in a file: markup, attributes and calls, each with its place in the source, its message (a pair for what counts) and the
 * code of its places.
 */
export function saidIn(source, isSvelte, ours = imported(source)) {
  const before = isSvelte ? '' : '<script lang="ts">';
  const whole = isSvelte ? source : `${before}${source}</script>`;
  const tree = parse(whole, { modern: true });
  const found = [];
  const add = (one) => found.push({ ...one, start: one.start - before.length, end: one.end - before.length });
  walk([tree.fragment, tree.module, tree.instance].filter(Boolean), (node) => {
    if (node.type === 'Fragment') {
      for (const parts of stretches(node.nodes)) add({ kind: 'markup', ...span(parts), ...messageOf(parts, whole) });
    }
    if (
      ['RegularElement', 'Component', 'SvelteElement', 'SvelteComponent', 'SvelteHead', 'TitleElement'].includes(
        node.type,
      )
    ) {
      const names = node.type === 'Component' ? GIVEN : SAID;
      for (const attribute of node.attributes ?? []) {
        if (attribute.type !== 'Attribute' || !names.includes(attribute.name) || !Array.isArray(attribute.value))
          continue;
        const one = messageOf(attribute.value, whole);
        const reads = node.type !== 'Component' || /^\p{Lu}|\s/u.test(one.message);
        const words = attribute.value.some((part) => part.type === 'Text' && LETTERS.test(part.data));
        if (words && reads) {
          add({ kind: 'attribute', start: attribute.value[0].start, end: attribute.value.at(-1).end, ...one });
        }
      }
    }
    if (node.type === 'CallExpression' && node.callee.name === 'marked' && ours.has('marked')) {
      const [number] = node.arguments;
      add({ kind: 'mark', start: node.start, end: node.end, number: whole.slice(number.start, number.end) });
    }
    if (node.type === 'CallExpression' && ['t', 'counted'].includes(node.callee.name) && ours.has(node.callee.name)) {
      const counts = node.callee.name === 'counted';
      const messages = (counts ? node.arguments.slice(1, 3) : node.arguments.slice(0, 1)).map(literal);
      if (messages.includes(null))
        throw new Error(
          `What is given to ${node.callee.name} has to be written out: ${source.slice(node.start - before.length, node.end - before.length)}`,
        );
      const count = counts ? whole.slice(node.arguments[0].start, node.arguments[0].end) : null;
      const places = valuesOf(node.arguments[counts ? 3 : 1], whole);
      add({ kind: 'call', start: node.start, end: node.end, message: counts ? messages : messages[0], places, count });
    }
  });
  return found.sort((one, other) => one.start - other.start);
}

// A name that no source has, since what stands in the places is evaluated beside it.
const COUNT = '_count_';
const ENGLISH = { message: (english) => english, forms: (pair) => pair, form: 'count === 1 ? 0 : 1', mark: '.' };

/** A message as code: a string, or a template with the code of its places. */
function asCode(message, places, inline) {
  const text = message.replace(/[\\`]/g, '\\$&').replace(/\$\{/g, '\\${');
  return `\`${text.replace(/\{(\w+)\}/g, (place, name) => (places.has(name) ? `\${${inline(places.get(name))}}` : place))}\``;
}

function asMarkup(message, places, inAttribute, inline) {
  const plain = (text) =>
    text.replace(/[&<>{}"]/g, (letter) => (inAttribute || letter !== '"' ? `&#${letter.charCodeAt(0)};` : letter));
  return message
    .split(/(\{\w+\})/)
    .map((part) => (places.has(part.slice(1, -1)) ? `{${inline(places.get(part.slice(1, -1)))}}` : plain(part)))
    .join('');
}

/** A source with its words in a language; `null` where there is nothing to put. */
export function inLanguage(source, isSvelte, language = ENGLISH, ours = imported(source)) {
  const found = saidIn(source, isSvelte, ours).filter(
    (one) => one.kind === 'call' || one.kind === 'mark' || language !== ENGLISH,
  );
  if (!found.length) return null;
  const put = new MagicString(source);
  // What stands within another message is put with it.
  const outer = found.filter(
    (one) =>
      !found.some(
        (other) =>
          other !== one &&
          other.start <= one.start &&
          one.end <= other.end &&
          other.end - other.start > one.end - one.start,
      ),
  );
  const inline = (code) => inLanguage(`(${code})`, false, language, ours)?.code.slice(1, -1) ?? code;
  for (const one of outer) {
    let code;
    if (one.kind === 'mark') {
      const number = inline(one.number);
      code = language.mark === '.' ? `(${number})` : `(${number}).replace('.', '${language.mark}')`;
    } else if (one.kind === 'call' && one.count !== null) {
      const forms = language
        .forms(one.message)
        .map((form) => asCode(form, new Map([...one.places, ['count', COUNT]]), inline));
      const form = language.form.replace(/\bcount\b/g, COUNT);
      code = `((${COUNT}) => [${forms.join(', ')}][+(${form})])(${inline(one.count)})`;
    } else if (one.kind === 'call') code = asCode(language.message(one.message), one.places, inline);
    else code = asMarkup(language.message(one.message), one.places, one.kind === 'attribute', inline);
    put.overwrite(one.start, one.end, code);
  }
  return { code: put.toString(), map: put.generateMap({ hires: true }) };
}

/** Whether a message asks for nothing but the places of its English. */
function fits(english, message) {
  const places = (text) => (text ?? '').match(/\{\w+\}/g) ?? [];
  return places(message).every((place) => places(english).includes(place));
}

/** The catalogues that ship, by their names. */
export function catalogues() {
  const folder = new URL('../src/obsidian_wren/languages/', import.meta.url);
  return readdirSync(folder).filter((name) => name.endsWith('.po'));
}

/** A language from its catalogue, a PO file read by gettext-parser. */
export async function languageOf(path) {
  if (!path) return ENGLISH;
  const { po } = await import('gettext-parser');
  const { headers, translations } = po.parse(readFileSync(path));
  const said = translations[''] ?? {};
  const asked = /plural=([^;]+)/.exec(headers['plural-forms'] ?? headers['Plural-Forms'] ?? '')?.[1];
  // It becomes a part of the page: arithmetic over n, and nothing else.
  const rule = /^[\sn\d=<>!&|?:%()+*/-]+$/.test(asked ?? '') ? asked : undefined;
  const tag = (headers.language ?? headers.Language ?? 'en').replace('_', '-');
  const held = (english, message) => (fits(english, message) ? message : '');
  const mark = new Intl.NumberFormat(tag).formatToParts(0.5).find((part) => part.type === 'decimal').value;
  return {
    tag,
    mark,
    message: (english) => held(english, said[english]?.msgstr[0]) || english,
    forms: (pair) => {
      const forms = said[pair[0]]?.msgstr ?? [];
      return forms.length > 1 && forms.every((form) => held(pair.join(), form)) ? forms : pair;
    },
    form: rule ? rule.replace(/\bn\b/g, 'count') : 'count === 1 ? 0 : 1',
  };
}

/** A plugin of Vite: puts the words of a language in their places before anything else sees the source. */
export function words(language) {
  return {
    name: 'words',
    enforce: 'pre',
    // The documents say for themselves in what language they are.
    transformIndexHtml: (html, { path }) =>
      language.tag && path === '/index.html' ? html.replace('lang="en"', `lang="${language.tag}"`) : html,
    transform(source, id) {
      const file = id.split('?')[0];
      if (
        id.includes('?') ||
        !file.includes('/src/') ||
        !/\.(svelte|ts)$/.test(file) ||
        /(\/words|generated|\.test|\.d)\.(ts|js)$/.test(file)
      )
        return null;
      return inLanguage(source, file.endsWith('.svelte'), language);
    },
  };
}
