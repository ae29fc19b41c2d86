import type { Overview, Progress, Purpose, Take } from '../lib/api';
import { marked, t } from '../lib/words';

/** Talk ends once its level is known so well after so much speech. */
const NEEDED_DB = 1;
const NEEDED_S = 20;

/** What the guided run takes, in its order, and what it says of each. */

export interface Stretch {
  purpose: Purpose;
  title: string;
  /** What to do, in one line. */
  ask: string;
  hint: string;
}

export const STRETCHES: Stretch[] = [
  {
    purpose: 'rest',
    title: t('Room'),
    ask: t('Sit as you will when you talk, and do not talk yet.'),
    hint: t('Leave on what is always on, such as the computer and the heating. This is the noise you live with.'),
  },
  {
    purpose: 'talk',
    title: t('Talk'),
    ask: t('Talk as you do in a call.'),
    hint: t('About anything. It ends by itself when your level is known, after 45 seconds at the latest.'),
  },
  {
    purpose: 'loud',
    title: t('Loudest'),
    ask: t('Be as loud as you ever get.'),
    hint: t('Laugh, cheer, call someone: your peaks need that much headroom.'),
  },
  {
    purpose: 'passage',
    title: t('Passage'),
    ask: t('Read this aloud, as you talk in a call.'),
    hint: t('It contains the sounds of English. Stop early if you must: twenty seconds are the minimum.'),
  },
];

export interface Told extends Stretch {
  /** The newest take for it since the run began. */
  take: Take | null;
  done: boolean;
}

/** How far the run has come: what was taken since it began; without a beginning, what stands. */
export function told(overview: Pick<Overview, 'takes' | 'predictions'>, since: number | null): Told[] {
  return STRETCHES.map((stretch) => {
    const take =
      overview.takes.filter((each) => each.purpose === stretch.purpose && (since === null || each.id > since)).at(-1) ??
      null;
    // What physics moved to the gain of now need not be taken again.
    const stands = take !== null && (!take.stale || stretch.purpose in overview.predictions);
    return { ...stretch, take, done: stands && take.fault === null && take.current };
  });
}

/** The first that is still to be taken; null where all are there. */
export function due(stretches: Told[]): Told | null {
  return stretches.find((each) => !each.done) ?? null;
}

/** How long what is left takes, s. */
export function left(stretches: Told[], overview: Pick<Overview, 'seconds'>, doneS = 0): number {
  const all = stretches
    .filter((each) => !each.done)
    .map((each) => (each.purpose === 'talk' ? 30 : (overview.seconds[each.purpose] ?? 0)));
  return Math.max(0, all.reduce((sum, each) => sum + each, 0) - doneS);
}

/** How far a take is, 0 to 1: by its length, or by how well talk is known on its way to what is needed. */
export function howFar(running: Progress): number {
  const share = Math.min(1, running.done_s / running.seconds);
  if (!running.until_steady || !running.steady) return share;
  const { active_error_db, peak_error_db, spoken_s } = running.steady;
  const known =
    Math.min(1, spoken_s / NEEDED_S) * Math.min(1, NEEDED_DB / Math.max(active_error_db, peak_error_db, 0.01));
  return Math.max(share, known);
}

/** How well the level of a talk take is known, and what ends it. */
export function howKnown(running: Progress): string {
  const end = t('At {seconds} s it ends with what is known.', { seconds: Math.round(running.seconds) });
  if (!running.steady) return t('Keep talking: your level is known after ten seconds of speech. {end}', { end });
  const error = Math.max(running.steady.active_error_db, running.steady.peak_error_db);
  return t('Your level is known to ±{error} dB after {spoken} s of speech; ±1 after 20 s is enough. {end}', {
    error: marked(error.toFixed(1)),
    spoken: Math.round(running.steady.spoken_s),
    end,
  });
}

/** The large number beside a take: what is left of it, or how long it has been where it ends by itself. */
export function counted(running: Progress | null): string {
  if (!running) return '';
  if (running.state === 'measuring') return 'measuring';
  return running.until_steady
    ? `${Math.floor(running.done_s)} s`
    : `${Math.ceil(Math.max(0, running.seconds - running.done_s))} s`;
}
