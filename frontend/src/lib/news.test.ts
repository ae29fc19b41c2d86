import { expect, test } from 'vitest';
import { type Moment, newsOf } from './news';

const moment = (overview: object = {}, progress: object | null = null) =>
  ({
    overview: {
      takes: [{ id: 1, purpose: 'rest', fault: null, notes: [] }],
      steps: [{ name: 'quiet', title: 'Quiet', status: 'open' }],
      undo: { title: 'the floor' },
      redo: null,
      run: { live: false, feeds_muted: 'none', marker: null },
      proofs: { good: 0, all: 2 },
      situations: [],
      ...overview,
    },
    progress,
  }) as unknown as Moment;
const PLAIN = moment();

test('a take is told when it begins and when it ends, with what was found, and not in between', () => {
  const running = moment({}, { purpose: 'talk', state: 'taking', done_s: 1 });
  expect(newsOf(PLAIN, running)).toEqual(['Recording normal talk.']);
  expect(newsOf(running, moment({}, { purpose: 'talk', state: 'taking', done_s: 2 }))).toEqual([]);
  const takes = [
    ...PLAIN.overview.takes,
    { id: 2, purpose: 'talk', fault: null, notes: ['A door slammed at 6 s; -3 dB.'] },
  ];
  expect(newsOf(running, moment({ takes }))).toEqual(['Normal talk: taken.', 'A door slammed at 6 s; −3 dB.']);
});

test('what was wrong with a take is told in place of that it is there', () => {
  const takes = [...PLAIN.overview.takes, { id: 2, purpose: 'talk', fault: 'It is silent.', notes: [] }];
  expect(newsOf(PLAIN, moment({ takes }))).toEqual(['It is silent.']);
});

test('undone and done again are told apart', () => {
  const undone = moment({ undo: null, redo: { title: 'the floor' } });
  expect(newsOf(PLAIN, undone)).toEqual(['Undone: the floor.']);
  expect(newsOf(undone, PLAIN)).toEqual(['Redone: the floor.']);
});

test('confirming, going live, muting and a proof are told once', () => {
  const steps = [{ name: 'quiet', title: 'Quiet', status: 'confirmed' }];
  expect(newsOf(PLAIN, moment({ steps }))).toEqual(['Quiet confirmed.']);
  const live = moment({ run: { live: true, feeds_muted: 'all', marker: 'sending' } });
  expect(newsOf(PLAIN, live)).toEqual(['Live.', 'Muted.']);
  const proved = moment({ run: { live: true, feeds_muted: 'all', marker: 'ended' }, proofs: { good: 2, all: 2 } });
  expect(newsOf(live, proved)).toEqual(['2 of 2 listeners hear what they should.']);
  expect(newsOf(live, live)).toEqual([]);
});

test('another situation is told by its name, and that there is none is not', () => {
  const late = (in_force: boolean) => moment({ situations: [{ id: 1, name: 'Late', in_force }] });
  expect(newsOf(late(false), late(true))).toEqual(['Situation: Late.']);
  expect(newsOf(late(true), late(true))).toEqual([]);
  expect(newsOf(late(true), late(false))).toEqual([]);
});
