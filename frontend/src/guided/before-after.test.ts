import { expect, test } from 'vitest';
import { edge, pieces, ribbons } from './before-after';

const x = (step: number) => 10 * step;
const y = (level: number) => -level;

test('a ribbon ends where nobody speaks and begins anew behind it', () => {
  const found = ribbons([-40, null, -30, -32], [-20, null, -10, -12], x, y);
  expect(found).toEqual(['M0 20L5 20L10 20L10 40L5 40L0 40Z', 'M20 10L25 10L35 12L40 12L40 32L35 32L25 30L20 30Z']);
});

test('the room leads from pause to pause, and to both ends', () => {
  expect(edge([null, -50, null, -60, null], x, y)).toEqual([
    { x: 0, y: 50 },
    { x: 15, y: 50 },
    { x: 35, y: 60 },
    { x: 50, y: 60 },
  ]);
  expect(edge([null, null], x, y)).toEqual([]);
  expect(edge([-200], x, y)[0]?.y).toBe(96);
});

test('numbers stand apart in a sentence, with their units', () => {
  const found = pieces('4 dB of boom around 1.3 kHz are gone.');
  expect(found.filter((piece) => piece.number).map((piece) => piece.text)).toEqual(['4 dB', '1.3 kHz']);
  expect(found.map((piece) => piece.text).join('')).toBe('4 dB of boom around 1.3 kHz are gone.');
});
