import { describe, expect, it } from 'vitest';
import { cut, edgeBy, heights } from './clip';

describe('the ends of a clip', () => {
  const ends = { start: 0.2, end: 1.5 };

  it('stay within the sound, on hundredths', () => {
    expect(cut(ends, 'start', -3, 2)).toEqual({ start: 0, end: 1.5 });
    expect(cut(ends, 'end', 9, 1.987)).toEqual({ start: 0.2, end: 1.987 });
    expect(cut(ends, 'start', 0.3349, 2)).toEqual({ start: 0.33, end: 1.5 });
  });

  it('never cross, nor come closer than the shortest clip', () => {
    expect(cut(ends, 'start', 1.9, 2)).toEqual({ start: 1.45, end: 1.5 });
    expect(cut(ends, 'end', 0.1, 2)).toEqual({ start: 0.2, end: 0.25 });
  });

  it('move by keys, finely or by a tenth', () => {
    expect([edgeBy('ArrowLeft'), edgeBy('PageUp'), edgeBy('a')]).toEqual([-0.01, 0.1, null]);
  });
});

it('draws a stroke for each stretch about the middle, the highest nearly as high as the picture', () => {
  expect(heights([0, 0.5, 1], 30, 24)).toBe('M5.0 11.6v0.8M15.0 7.0v10.0M25.0 2.0v20.0');
  expect(heights([], 30, 24)).toBe('');
});
