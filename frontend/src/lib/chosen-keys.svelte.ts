/** Single keys that a person can choose (WCAG 2.1.4), and what each does. */

import { t } from './words';
export const USUAL = {
  take: 't',
  flip: 'f',
  match: 'l',
  live: 'h',
  pin: 'p',
  less: '[',
  more: ']',
  marker: 'm',
  mute: 'u',
  talk: 'v',
  situation: 'n',
} as const;
export type Doing = keyof typeof USUAL;
const KEPT = 'keys';

function kept(): Partial<Record<Doing, string>> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}');
  } catch {
    return {};
  }
}

class ChosenKeys {
  #own = $state<Partial<Record<Doing, string>>>({});

  /** What was chosen before, on this browser. */
  recall(): void {
    this.#own = kept();
  }

  of(doing: Doing): string {
    return this.#own[doing] ?? USUAL[doing];
  }

  get changed(): boolean {
    return Object.keys(this.#own).length > 0;
  }

  doing(key: string): Doing | null {
    const pressed = key.toLowerCase();
    return (Object.keys(USUAL) as Doing[]).find((each) => this.of(each) === pressed) ?? null;
  }

  /** Choose a key; what had it before gets the one that was given up. A sentence where it cannot be had. */
  choose(doing: Doing, key: string): string | null {
    const wanted = key.toLowerCase();
    if (wanted.length !== 1 || /[\s0-9?]/.test(wanted))
      return t('Choose a letter or a sign; digits, Space and ? are taken.');
    const had = this.doing(wanted);
    const given = this.of(doing);
    this.#own = { ...this.#own, ...(had ? { [had]: given } : {}), [doing]: wanted };
    localStorage.setItem(KEPT, JSON.stringify(this.#own));
    return null;
  }

  reset(): void {
    this.#own = {};
    localStorage.removeItem(KEPT);
  }
}

export const chosenKeys = new ChosenKeys();
