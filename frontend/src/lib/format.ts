/** Numbers as they are written on the page: a true minus sign, a fixed number of decimals, "unknown" for what is not known. */

import { marked, t } from './words';
export const UNKNOWN = t('unknown');

export function signed(value: number, decimals = 1): string {
  const text = Math.abs(value).toFixed(decimals);
  if (Number(text) === 0) return marked(text);
  return marked(value < 0 ? `−${text}` : `+${text}`);
}

/** A written number with a true minus sign and the language's decimal mark. */
export function number(text: string): string {
  return marked(text.replace('-', '−'));
}

export function level(value: number | null | undefined, decimals = 1): string {
  if (value === null || value === undefined) return UNKNOWN;
  return number(value.toFixed(decimals));
}

export function withUnit(value: number | null | undefined, unit: string, decimals = 1): string {
  return value === null || value === undefined ? UNKNOWN : `${level(value, decimals)} ${unit}`;
}

export function frequency(hz: number): string {
  if (hz < 1000) return `${Math.round(hz)} Hz`;
  const thousands = hz / 1000;
  return `${marked(thousands.toFixed(1).replace(/\.0$/, ''))} kHz`;
}

/** A rate in kHz: 44.1 kHz. */
export function rate(hz: number): string {
  return `${marked(String(hz / 1000))} kHz`;
}

/** Axis label of a frequency: 125, 1 k. */
export function frequencyTick(hz: number): string {
  return marked(hz >= 1000 ? `${hz / 1000} k` : String(hz));
}

export function clock(iso: string): string {
  return new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
}

/** When something was: today by its time alone, before that with its day. */
export function moment(iso: string, now = new Date()): string {
  const then = new Date(iso);
  if (then.toDateString() === now.toDateString()) return clock(iso);
  const year = then.getFullYear() === now.getFullYear() ? undefined : 'numeric';
  return `${then.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year })}, ${clock(iso)}`;
}

/** A sentence from the program with true minus signs before its numbers. */
export function proper(sentence: string): string {
  return sentence.replace(/(^|[\s(])-(?=\d)/g, '$1−');
}

/** A moment, ms since 1970, as the clock on the wall shows it. */
export function timeOfDay(ms: number): string {
  return new Date(ms).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', second: '2-digit' });
}
