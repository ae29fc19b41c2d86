import type { Destination, Overview, Verdict } from './api';

/** What Send says of each listener: the checks under its picture, and what is left to do in other programs. */

export interface Check {
  mark: 'good' | 'fault' | 'none';
  sentence: string;
  advice: string | null;
  detail: string | null;
}

/** What a proof by sound says makes these findings of the silent audit superfluous. */
const PICKING = ['picks raw', 'picks another', 'picks nothing', 'picks its feed', 'muted'];

function mark(verdict: Verdict): Check['mark'] {
  return verdict.mark === 'note' ? 'none' : verdict.mark;
}

function check(verdict: Verdict, detail: string | null = null): Check {
  return { mark: mark(verdict), sentence: verdict.sentence, advice: verdict.advice ?? null, detail };
}

/** Proof first, then what can be told in silence; nothing twice. */
export function checksOf(destination: Destination): Check[] {
  const proof = destination.proof && !destination.proof.stale ? destination.proof : null;
  const proved = proof?.verdicts ?? [];
  const codes = new Set(proved.map((verdict) => verdict.code));
  const silent = destination.audit.filter(
    (verdict) => !codes.has(verdict.code) && !(proof && PICKING.includes(verdict.code) && verdict.mark !== 'fault'),
  );
  const told =
    proof && proved.some((verdict) => verdict.mark === 'fault')
      ? silent.filter((v) => !PICKING.includes(v.code))
      : silent;
  const found = [
    ...proved.map((verdict, i) => check(verdict, i === 0 && proof ? proofDetail(proof) : null)),
    ...told.map((v) => check(v)),
  ];
  if (!proof && destination.kind !== 'recorder') {
    found.push({ mark: 'none', sentence: unproved(destination), advice: null, detail: null });
  }
  return found;
}

function unproved(destination: Destination): string {
  return destination.proof ? 'Another input is picked since the marker: send it again' : 'No marker was sent yet';
}

function proofDetail(proof: NonNullable<Destination['proof']>): string | null {
  const parts: string[] = [];
  if (proof.delay_ms !== null && proof.ours_ms !== null) {
    parts.push(
      `${proof.ours_ms.toFixed(0)} ms of it here, ${Math.max(0, proof.delay_ms - proof.ours_ms).toFixed(0)} in the program`,
    );
  }
  if (proof.lufs !== null) parts.push(`heard at ${proof.lufs.toFixed(1).replace('-', '−')} LUFS`);
  return parts.length ? parts.join('; ') : null;
}

/** Whether every listener that picks an input is proved. */
export function allProved(overview: Overview): boolean {
  const picking = overview.destinations.filter((entry) => entry.on && entry.feed);
  return picking.length > 0 && picking.every((entry) => entry.proof?.good && !entry.proof.stale);
}

/** How far the proofs are: "2 of 3 arrive treated". */
export function proofCount(overview: Overview): { good: number; all: number } {
  const picking = overview.destinations.filter((entry) => entry.on && entry.feed);
  return { good: picking.filter((entry) => entry.proof?.good && !entry.proof.stale).length, all: picking.length };
}

/** What a person has to do in other programs before it holds. */
export function leftToDo(overview: Overview): string[] {
  return overview.destinations
    .filter((entry) => entry.on)
    .flatMap((entry) =>
      entry.audit.filter((verdict) => verdict.mark === 'fault' && verdict.advice).map((verdict) => verdict.advice!),
    );
}

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
  if (minutes >= 1440) return 'a day or more';
  if (minutes >= 180) return `${Math.floor(minutes / 60).toLocaleString('en-GB')} h`;
  return `${Math.floor(minutes)} min`;
}
