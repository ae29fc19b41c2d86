/**
 * Words in the language of the page. What stands in the source is English and the key of a catalogue. A page is built for one language:
 * the build puts its words in place of these calls (words.js), so that they cost nothing while the page runs.
 */

import { SPOKEN } from './language';

type Values = Record<string, string | number | null | undefined>;

/** A message with values in its places `{name}`. */
export function t(english: string, values: Values = {}): string {
  return english.replace(/\{(\w+)\}/g, (place, name: string) => (name in values ? String(values[name]) : place));
}

/** The form of a message that belongs to a count, which is its value `{count}`. */
export function counted(count: number, singular: string, plural: string, values: Values = {}): string {
  return t(count === 1 ? singular : plural, { count, ...values });
}

/** A title as it stands within a sentence: in small letters, but where nouns begin with capitals everywhere. */
export function within(title: string): string {
  return /^(de|lb)\b/.test(SPOKEN) ? title : title.toLowerCase();
}

/** A written number with the decimal mark of the language; the build puts it in place of the point. */
export function marked(text: string | undefined): string {
  return text ?? '';
}
