import { describe, expect, it } from 'vitest';
import { clockOf, roomText } from './send';

describe('times and room', () => {
  it('are short', () => {
    expect(clockOf(65.9)).toBe('01:05');
    expect(clockOf(3725)).toBe('01:02:05');
    expect(roomText(29.9)).toBe('29 min');
    expect(roomText(600)).toBe('10 h');
  });
});
