import type { Take } from './api';

const DAY_MS = 24 * 60 * 60 * 1000;

/** Whether to be reminded of a check: nothing was taken or checked for a day, and it was not dismissed for a day. */
export function dueForCheck(takes: Pick<Take, 'taken_at' | 'fault'>[], dismissed: string | null, now: Date): boolean {
  const since = (iso: string) => now.getTime() - new Date(iso).getTime();
  const usable = takes.filter((take) => !take.fault);
  if (!usable.length || (dismissed !== null && since(dismissed) < DAY_MS)) return false;
  return usable.every((take) => since(take.taken_at) >= DAY_MS);
}
