import { expect, it } from 'vitest';
import { moved } from './order';
import { curvePath, hanging, heap, width80 } from './spread';

const x = (value: number) => value;

it('measures the middle four fifths of a distribution', () => {
  const even = Array.from({ length: 60 }, (_, i) => (i >= 20 && i < 40 ? 0.05 : 0));
  expect(Math.abs(width80(even) - 16)).toBeLessThanOrEqual(1);
  const narrow = Array.from({ length: 60 }, (_, i) => (i === 30 ? 1 : 0));
  expect(width80(narrow)).toBe(0);
});

it('stands a heap on its base, the highest share at the top', () => {
  const shares = Array.from({ length: 60 }, (_, i) => (i === 30 ? 0.5 : 0));
  const path = heap(shares, x, 300, 50, 0.5);
  expect(path).toContain('-29.5,50');
  expect(path).toContain('-59.5,300');
});

it('draws the curve only from where the picture begins', () => {
  const path = curvePath([-70, -60, -30, 0], [-52, -42, -14, 0], x, x);
  expect(path.startsWith('M-60,-42')).toBe(true);
});

it('hangs what is taken away under its line, and nothing for gain', () => {
  const path = hanging([0, -6, 3], (i) => i * 10, 100, 4);
  expect(path).toContain('124');
  expect(path).not.toContain('88');
});

it('moves one stage a place and stops at the ends', () => {
  expect(moved(['a', 'b', 'c'], 'a', 1)).toEqual(['b', 'a', 'c']);
  expect(moved(['a', 'b', 'c'], 'a', -1)).toEqual(['a', 'b', 'c']);
  expect(moved(['a', 'b', 'c'], 'c', 1)).toEqual(['a', 'b', 'c']);
  expect(moved(['a', 'b', 'c'], 'c', -1)).toEqual(['a', 'c', 'b']);
});
