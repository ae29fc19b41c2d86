/** The language of this page, which is built for one. */

/** Its tag (BCP 47). */
export const SPOKEN = (globalThis as Partial<typeof globalThis>).document?.documentElement?.lang ?? 'en';

/** What a language is called by those who speak it. */
export function inItself(tag: string): string {
  const name = new Intl.DisplayNames([tag], { type: 'language' }).of(tag) ?? tag;
  return name.charAt(0).toLocaleUpperCase(tag) + name.slice(1);
}
