import { describe, expect, it } from 'vitest';
import { drawn, mean, outline, span } from './moves';

const moving = {
  step_s: 0.5,
  before_dbfs_a: [-70, -40, -43, -70, -50, -70, -70, -60],
  after_dbfs_a: [-70, -60, -60, -70, -65, -70, -70, -70],
  always_dbfs_a: -68,
  moments: [
    { kind: 'knock', start_s: 0.5, end_s: 1.5, level_dbfs: -41 },
    { kind: 'knock', start_s: 2, end_s: 2.5, level_dbfs: -50 },
    { kind: 'voice', start_s: 3.5, end_s: 3.5, level_dbfs: -60 },
  ],
};

describe('what moves, as it is drawn', () => {
  it('gives each moment its levels before and what remains', () => {
    const [first] = drawn(moving, 1);
    expect(first?.points).toEqual([
      [0.5, -40],
      [1, -43],
    ]);
    expect(first?.top).toBe(-40);
    expect(first?.remains).toBeCloseTo(-60);
  });

  it('draws a moment from the rest up and down to it again', () => {
    const [first] = drawn(moving, 1);
    expect(first && outline(first, -41)).toEqual([
      [0.5, -41],
      [0.5, -40],
      [1, -41],
      [1.5, -41],
    ]);
  });

  it('names a kind once where it comes again soon, and never two names on one another', () => {
    expect(drawn(moving, 1).map((m) => m.named)).toEqual([true, false, true]);
    expect(drawn(moving, 4).map((m) => m.named)).toEqual([true, false, false]);
    expect(drawn(moving, 0.5).map((m) => m.named)).toEqual([true, true, true]);
  });

  it('shows a moment that is shorter than a step', () => {
    expect(drawn(moving, 1)[2]?.points).toHaveLength(1);
  });

  it('spans whole tens from under the rest to over the loudest', () => {
    expect(span(moving)).toEqual([-90, -30]);
    expect(mean([-40, -40])).toBeCloseTo(-40);
  });
});
