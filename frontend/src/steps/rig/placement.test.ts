import { describe, expect, it } from 'vitest';
import { mouthAt, movedBy, patternPath, placedAt, planOf } from './placement';

const HERE = { distance_cm: 12, angle_deg: 30 };

describe('the plan from above', () => {
  it('has the mouth where distance and angle say, and reads them back', () => {
    const plan = planOf(HERE, 60, 400, 260);
    for (const placed of [HERE, { distance_cm: 40, angle_deg: 0 }, { distance_cm: 7, angle_deg: 145 }]) {
      const at = mouthAt(plan, placed);
      expect(placedAt(plan, at.x, at.y)).toEqual(placed);
    }
  });

  it('is the same on either side of the axis', () => {
    const plan = planOf(HERE, null, 400, 260);
    const at = mouthAt(plan, HERE);
    expect(placedAt(plan, 2 * plan.x - at.x, at.y)).toEqual(HERE);
  });

  it('never puts the mouth nearer or farther than can be entered', () => {
    const plan = planOf(HERE, null, 400, 260);
    expect(placedAt(plan, plan.x, plan.y).distance_cm).toBe(2);
    expect(placedAt(plan, plan.x, plan.y - 1e6).distance_cm).toBe(300);
  });

  it('shows the mouth wherever it stands', () => {
    for (const distance_cm of [2, 12, 90, 300]) {
      const plan = planOf({ distance_cm, angle_deg: 0 }, 55, 400, 260);
      const at = mouthAt(plan, { distance_cm, angle_deg: 0 });
      expect(at.y).toBeGreaterThan(0);
      expect(at.x).toBeLessThan(400);
    }
  });
});

describe('the keys', () => {
  it('move distance up and down, the angle left and right, and stop at the ends', () => {
    expect(movedBy('ArrowUp', HERE)).toEqual({ distance_cm: 13, angle_deg: 30 });
    expect(movedBy('PageDown', HERE)).toEqual({ distance_cm: 2, angle_deg: 30 });
    expect(movedBy('ArrowLeft', { ...HERE, angle_deg: 3 })).toEqual({ distance_cm: 12, angle_deg: 0 });
    expect(movedBy('a', HERE)).toBeNull();
  });
});

describe('the pattern', () => {
  it('is half as wide where the microphone hears 6 dB less', () => {
    const path = patternPath([[0, 0], [90, -6.02], [180, -20]], 0, 0, 100); // prettier-ignore
    expect(path).toBe('M0.0 -100.0L50.0 -0.0L0.0 10.0L-50.0 -0.0Z');
  });
});
