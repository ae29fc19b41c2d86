import type { Plugin } from 'vite';

export interface Said {
  kind: 'markup' | 'attribute' | 'call' | 'mark';
  start: number;
  end: number;
  message?: string | [string, string];
  places?: Map<string, string>;
  count?: string | null;
}
export interface PageLanguage {
  tag?: string;
  mark: string;
  message: (english: string) => string;
  forms: (pair: [string, string]) => string[];
  form: string;
}
export function saidIn(source: string, isSvelte: boolean): Said[];
export function inLanguage(source: string, isSvelte: boolean, language?: PageLanguage): { code: string } | null;
export function languageOf(path?: string): Promise<PageLanguage>;
export function catalogues(): string[];
export function words(language: PageLanguage): Plugin;
