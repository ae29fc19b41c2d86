import { t } from './words';

/** What is said for what the program tells apart by a word of its own. */
const WORDS: Record<string, string> = {
  confirmed: t('confirmed'),
  open: t('open'),
  stale: t('outdated'),
  'not yet': t('not yet'),
  cardioid: t('cardioid'),
  supercardioid: t('supercardioid'),
  omni: t('omni'),
  'figure of eight': t('figure of eight'),
  light: t('light'),
  dark: t('dark'),
  system: t('as system'),
  raw: t('raw'),
  treated: t('treated'),
  order: t('order'),
  heater: t('heater'),
  preamp: t('preamp'),
  slider: t('slider'),
  rig: t('rig'),
  quiet: t('quiet'),
  gain: t('gain'),
  clean: t('clean'),
  tone: t('tone'),
  steady: t('steady'),
  send: t('send'),
  prove: t('prove'),
  input: t('input'),
  output: t('output'),
};

/** A word of the program, as it is said on the page; as it is where there is none. */
export function codeWord(code: string): string {
  return WORDS[code] ?? code;
}
