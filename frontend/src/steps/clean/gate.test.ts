import { expect, it } from 'vitest';
import { levelAt, scaleX, shapes, told } from './gate';

const counts = {
  words: 23,
  beginnings_cut: 2,
  ends_cut: 1,
  room_let_through_s: 3.25,
  room_s: 20,
  clicks_let_through: 4,
  clicks: 50,
};

it('finds the level under a place, and the place of a level', () => {
  const x = scaleX(800);
  expect(levelAt(x(-51), 800)).toBe(-51);
  expect(levelAt(x(-51.2), 800)).toBe(-51);
  expect(levelAt(-500, 800)).toBe(-90);
  expect(levelAt(5000, 800)).toBe(0);
});

it('stands words over the line and hangs the room under it', () => {
  const peak = (at: number) => Array.from({ length: 100 }, (_, i) => (i === at ? 1 : 0));
  const found = shapes({ speech: peak(75), room: peak(35) }, 800, 400);
  const ys = (path: string) => [...path.matchAll(/[,V]([\d.]+)/g)].map((m) => Number(m[1]));
  expect(Math.min(...ys(found.speech))).toBeLessThan(found.middle);
  expect(Math.max(...ys(found.speech))).toBeCloseTo(found.middle, 1);
  expect(Math.max(...ys(found.room))).toBeGreaterThan(found.middle);
  expect(found.likely.speech).toBe('');
});

it('draws the likely part of the words to the same scale', () => {
  const speech = Array.from({ length: 100 }, (_, i) => (i === 75 ? 0.5 : i === 60 ? 0.25 : 0));
  const likely = speech.map((share) => share / 2);
  const found = shapes({ speech, room: speech, speech_likely: likely }, 800, 400);
  const top = (path: string) => Math.min(...[...path.matchAll(/[,V]([\d.]+)/g)].map((m) => Number(m[1])));
  expect(found.middle - top(found.likely.speech)).toBeCloseTo((found.middle - top(found.speech)) / 2, 1);
});

it('tells what is cut and what is let through', () => {
  expect(told(counts)).toEqual([
    '2 beginnings and 1 ends clipped of 23 words',
    '3.3 of 20 s of room let through',
    '4 of 50 clicks let through',
  ]);
  expect(told({ ...counts, clicks: 0 })[2]).toBe('no clicks in the room');
});
