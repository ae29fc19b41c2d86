import { t } from './words';
import type { Overview, Progress } from './api';
import { proper } from './format';
import { TAKE_NAMES } from './steps';

/** What happened, for somebody who does not see it; numbers that only tick are not told. */

export interface Moment {
  overview: Pick<Overview, 'rig' | 'takes' | 'steps' | 'undo' | 'redo' | 'run' | 'proofs' | 'situations'>;
  progress: Pick<Progress, 'purpose' | 'state'> | null;
}

function begun(before: Moment, now: Moment): string[] {
  const { progress } = now;
  if (!progress || progress.state === before.progress?.state) return [];
  return [
    progress.state === 'measuring' ? t('Measuring.') : t('Recording {take}.', { take: TAKE_NAMES[progress.purpose] }),
  ];
}

function ended(before: Moment, now: Moment): string[] {
  const known = new Set(before.overview.takes.map((take) => take.id));
  return now.overview.takes
    .filter((take) => !known.has(take.id))
    .flatMap((take) => {
      const name = TAKE_NAMES[take.purpose];
      const came = take.fault ?? `${name.charAt(0).toUpperCase()}${name.slice(1)}: taken.`;
      return [came, ...take.notes].map((sentence) => proper(sentence));
    });
}

function turned(before: Moment, now: Moment): string[] {
  const [was, is] = [before.overview, now.overview];
  if (was.undo && is.redo?.title === was.undo.title && was.redo?.title !== is.redo.title) {
    return [`Undone: ${is.redo.title}.`];
  }
  if (was.redo && is.undo?.title === was.redo.title && was.undo?.title !== is.undo.title) {
    return [t('Redone: {title}.', { title: is.undo.title })];
  }
  return [];
}

function confirmed(before: Moment, now: Moment): string[] {
  const status = new Map(before.overview.steps.map((step) => [step.name, step.status]));
  return now.overview.steps
    .filter((step) => step.status === 'confirmed' && status.get(step.name) !== 'confirmed')
    .map((step) => t('{title} confirmed.', { title: step.title }));
}

function passed(before: Moment, now: Moment): string[] {
  const [was, is] = [before.overview.run, now.overview.run];
  const said: string[] = [];
  if (was.live !== is.live) said.push(is.live ? t('Live.') : t('Not live.'));
  if (was.feeds_muted !== is.feeds_muted) said.push(is.feeds_muted === 'none' ? t('Not muted.') : t('Muted.'));
  const [then, inForce] = [before.overview, now.overview].map((each) => each.situations.find((one) => one.in_force));
  if (inForce && inForce.id !== then?.id) said.push(t('Situation: {name}.', { name: inForce.name }));
  if (was.marker === 'sending' && is.marker !== 'sending') {
    const { good, all } = now.overview.proofs;
    said.push(t('{good} of {all} listeners hear what they should.', { good, all }));
  }
  return said;
}

/** What to say of what changed from one moment to the next, in order. */
export function newsOf(before: Moment, now: Moment): string[] {
  return [begun, ended, turned, confirmed, passed].flatMap((look) => look(before, now));
}
