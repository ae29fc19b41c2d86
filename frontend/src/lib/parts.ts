import type { Answer, Overview, StepName } from './api';

/** What can be shown: a step, or the guided run through all of them. */
export type Shown = StepName | 'now';

/** The state comes in parts. The page says which it wants and which it has; what differs comes. */

/** What every step shows. */
const EVERYWHERE = ['rig', 'steps', 'takes', 'talk', 'chain', 'delivery', 'diagram', 'run'];

const OF_STEP: Record<Shown, string[]> = {
  now: ['room', 'clean', 'tone', 'send', 'prove'],
  rig: ['tone'],
  quiet: ['room'],
  gain: ['room'],
  clean: ['clean', 'room'],
  tone: ['tone', 'clean', 'room'],
  steady: [],
  send: ['send'],
  prove: ['prove'],
};

/** A field of each part: where it is missing in an answer, the page has the part already. */
const FIELD: Record<string, keyof Overview> = {
  rig: 'rig',
  steps: 'steps',
  takes: 'takes',
  room: 'quiet',
  talk: 'talk',
  chain: 'stages',
  clean: 'clean',
  tone: 'tone',
  delivery: 'delivery',
  diagram: 'diagram',
  send: 'destinations',
  run: 'run',
  prove: 'pairs',
};

/** The parts that a step shows. */
export function shownAt(step: Shown): string[] {
  return [...EVERYWHERE, ...OF_STEP[step]];
}

/** What a page says with everything that is answered with the state; before it has any it wants everything. */
export function headersFor(step: Shown, overview: Overview | null): Record<string, string> {
  if (!overview?.have) return {};
  return {
    'Wren-Want': shownAt(step).join(','),
    'Wren-Have': Object.entries(overview.have)
      .map(([name, word]) => `${name}=${word}`)
      .join(','),
  };
}

/** The state with an answer in it. */
export function merged(overview: Overview | null, answer: Answer): Overview {
  return { ...overview, ...answer, have: { ...overview?.have, ...answer.have } } as Overview;
}

/** Parts that an answer left out since the page had them when it asked, but that another answer changed meanwhile. */
export function missed(overview: Overview | null, answer: Answer): string[] {
  if (!overview) return [];
  return Object.keys(answer.have ?? {}).filter((name) => {
    const field = FIELD[name];
    return field !== undefined && !(field in answer) && overview.have[name] !== answer.have[name];
  });
}
