import { describe, expect, it } from 'vitest';
import { certainty, reach, response, share } from './two';

const same = (value: number) => value;
const bands = [
  { hz: 100, db: 2, error_db: 0.5 },
  { hz: 200, db: null, error_db: null },
  { hz: 400, db: -4, error_db: 1 },
  { hz: 800, db: -1, error_db: 1 },
];

describe('two microphones', () => {
  it('reach as far as the largest difference with its uncertainty, in steps of three decibels', () => {
    expect(reach(bands)).toBe(6);
    expect(reach([{ hz: 100, db: 7, error_db: 0.5 }])).toBe(9);
    expect(reach([{ hz: 100, db: 90, error_db: 0.5 }])).toBe(30);
    expect(reach([])).toBe(6);
  });
  it('break the curve where nothing is known', () => {
    expect(response(bands, same, same)).toBe('M100,2ZM400,-4L800,-1');
    expect(certainty(bands.slice(2), same, same)).toContain('400,-2');
  });
  it('draw the higher bar in full and the lower one as less, never as nothing', () => {
    expect(share(-10, [-10, -30])).toBe(1);
    expect(share(-30, [-10, -30])).toBeCloseTo(6 / 26);
    expect(share(null, [null, -30])).toBe(0);
    expect(share(-30, [-30, -30])).toBe(1);
    expect(share(-200, [-200, -20])).toBe(0.04);
  });
});
