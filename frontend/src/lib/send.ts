/** Times and room as Send writes them. */

import { t } from './words';
export function clockOf(seconds: number): string {
  const whole = Math.floor(seconds);
  const parts = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60];
  return parts
    .slice(whole >= 3600 ? 0 : 1)
    .map((part) => String(part).padStart(2, '0'))
    .join(':');
}

/** Room on the disk in words. */
export function roomText(minutes: number): string {
  if (minutes >= 1440) return t('a day or more');
  if (minutes >= 180) return `${Math.floor(minutes / 60).toLocaleString('en-GB')} h`;
  return t('{minutes} min', { minutes: Math.floor(minutes) });
}
