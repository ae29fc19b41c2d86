import { describe, expect, it } from 'vitest';
import { inLanguage, saidIn, type PageLanguage } from '../../words.js';
import { counted, marked, t } from './words';

const IMPORT = "import { counted, marked, t } from '../lib/words';\n";
const script = (code: string) => `<script lang="ts">\n${IMPORT}${code}\n</script>\n`;

/** A language that says things backwards, counts in three forms, and has a comma. */
const BACKWARDS: PageLanguage = {
  mark: ',',
  message: (english) => english.split(' ').reverse().join(' '),
  forms: ([one, many]) => [`one ${one}`, `few ${many}`, `many ${many}`],
  form: 'count === 1 ? 0 : count < 5 ? 1 : 2',
};

function evaluated(code: string, values: Record<string, unknown> = {}): unknown {
  const last = code.trim().split('\n').at(-1)!;
  return new Function(...Object.keys(values), `return ${last}`)(...Object.values(values));
}

describe('the words of a source', () => {
  it('are what stands between tags, with the expressions between them in their places', () => {
    const found = saidIn('<p>Take {takes.length} of\n  {all(many)} <b>now</b>, {level(a.peak_dbfs)} dBFS</p>', true);
    expect(found.map((one) => one.message)).toEqual(['Take {takes} of {many}', 'now', ', {peak_dbfs} dBFS']);
  });

  it('are in certain attributes, but not in those that only name a kind', () => {
    const source =
      '<button title="Hear it" class="quiet wide" type="button"></button><Fact name="Noise floor" kind="good" />';
    expect(saidIn(source, true).map((one) => one.message)).toEqual(['Hear it', 'Noise floor']);
  });

  it('are what is given to our own calls, and to no others of their names', () => {
    const source = "const a = t('One', {}); const b = counted(n, '{count} take', '{count} takes');";
    expect(saidIn(source, false)).toEqual([]);
    expect(saidIn(IMPORT + source, false).map((one) => one.message)).toEqual([
      'One',
      ['{count} take', '{count} takes'],
    ]);
  });

  it('have to be written out', () => {
    expect(() => saidIn(`${IMPORT}t(given);`, false)).toThrow('written out');
  });
});

describe('a source in a language', () => {
  it('has its words in the order of that language, with the same expressions', () => {
    const put = inLanguage('<p class="a">Take {takes.length} of\n  {all}</p>', true, BACKWARDS)!.code;
    expect(put).toBe('<p class="a">{all} of {takes.length} Take</p>');
  });

  it('has nothing in it that markup would take for its own', () => {
    const odd: PageLanguage = { ...BACKWARDS, message: () => 'a < b & {c} "d"' };
    expect(inLanguage('<p title="Hear it">Hear it</p>', true, odd)!.code).toBe(
      '<p title="a &#60; b &#38; &#123;c&#125; &#34;d&#34;">a &#60; b &#38; &#123;c&#125; "d"</p>',
    );
  });

  it('says what calls stand for, with forms that count and decimals', () => {
    const said = (code: string, values = {}) => evaluated(inLanguage(IMPORT + code, false, BACKWARDS)!.code, values);
    expect(said("t('Take {n} of {all}', { n, all: many[0] })", { n: 2, many: [7] })).toBe('7 of 2 Take');
    const takes = "counted(n, '{count} take', '{count} takes')";
    expect([1, 3, 9].map((n) => said(takes, { n }))).toEqual(['one 1 take', 'few 3 takes', 'many 9 takes']);
    expect(said('marked((1.25).toFixed(1))')).toBe('1,3');
    expect(said("t('At {a}', { a: t('or {b}', { b: 1 }) })")).toBe('1 or At');
  });

  it('in English keeps its markup, and calls become what they stand for', () => {
    const source = `${script("const a = t('Take {n}', { n });")}<p>Take {n} of it</p>`;
    const put = inLanguage(source, true)!.code;
    expect(put).toContain('const a = `Take ${n}`;');
    expect(put).toContain('<p>Take {n} of it</p>');
    expect(evaluated(inLanguage(`${IMPORT}t('a \`b\` \${c} \\\\ {n}', { n: 1 })`, false)!.code)).toBe(
      'a `b` ${c} \\ 1',
    );
    const count = inLanguage(`${IMPORT}counted(n, '{count} take', '{count} takes')`, false)!.code;
    expect([1, 2].map((n) => evaluated(count, { n }))).toEqual(['1 take', '2 takes']);
    // What stands in its places may have the same name.
    const of = inLanguage(
      `${IMPORT}counted(count.all, '{good} of {count}', '{good} of {count} in all', { good: count.good })`,
      false,
    )!;
    expect(evaluated(of.code, { count: { good: 2, all: 3 } })).toBe('2 of 3 in all');
  });
});

describe('the calls themselves, where nothing was built', () => {
  it('say it in English', () => {
    expect(t('Take {n} of {all}', { n: 1 })).toBe('Take 1 of {all}');
    expect([1, 2].map((n) => counted(n, 'one take', '{count} {what}', { what: 'takes' }))).toEqual([
      'one take',
      '2 takes',
    ]);
    expect([marked('1.5'), marked(undefined)]).toEqual(['1.5', '']);
  });
});
