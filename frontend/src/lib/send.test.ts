import { describe, expect, it } from 'vitest';
import type { Destination, Overview } from './api';
import { allProved, checksOf, clockOf, leftToDo, proofCount, roomText } from './send';

const verdict = (code: string, mark: 'good' | 'fault' | 'note', advice: string | null = null) => ({
  code,
  mark,
  sentence: code,
  advice,
});

function listener(more: Partial<Destination>): Destination {
  return {
    key: 'call',
    name: 'Editor call',
    kind: 'call',
    on: true,
    feed: 'Wren: call',
    audit: [],
    proof: null,
    ...more,
  } as Destination;
}

const proof = (good: boolean, verdicts: ReturnType<typeof verdict>[], stale = false) => ({
  good,
  verdicts,
  delay_ms: 35,
  ours_ms: 15,
  level_db: 12,
  lufs: -18.1,
  at: '2026-11-25T12:00:00+00:00',
  stale,
});

describe('the checks of a listener', () => {
  it('says that nothing is proved before a marker was sent', () => {
    const checks = checksOf(listener({ audit: [verdict('picks raw', 'fault', 'Pick the feed.')] }));
    expect(checks.map((c) => c.sentence)).toEqual(['picks raw', 'No marker was sent yet']);
    expect(checks[0]?.advice).toBe('Pick the feed.');
  });

  it('puts the proof first and says nothing twice', () => {
    const audit = [verdict('picks its feed', 'good'), verdict('one rate', 'good'), verdict('twice cleaned', 'fault')];
    const checks = checksOf(
      listener({ audit, proof: proof(false, [verdict('treated', 'good'), verdict('twice cleaned', 'fault')]) }),
    );
    expect(checks.map((c) => c.sentence)).toEqual(['treated', 'twice cleaned', 'one rate']);
    expect(checks[0]?.detail).toBe('15 ms of it here, 20 in the program; heard at −18.1 LUFS');
  });

  it('lets what arrives speak for what is picked', () => {
    const checks = checksOf(
      listener({ audit: [verdict('picks raw', 'fault')], proof: proof(false, [verdict('raw', 'fault')]) }),
    );
    expect(checks.map((c) => c.sentence)).toEqual(['raw']);
  });

  it('does not trust a proof of another input', () => {
    const checks = checksOf(listener({ proof: proof(true, [verdict('treated', 'good')], true) }));
    expect(checks).toHaveLength(1);
    expect(checks[0]?.mark).toBe('none');
    expect(checks[0]?.sentence).toContain('send it again');
  });
});

describe('all listeners together', () => {
  const good = listener({ proof: proof(true, []) });
  const stale = listener({ key: 'game-chat', proof: proof(true, [], true) });
  const phones = listener({ key: 'headphones', kind: 'headphones', feed: null });
  const over = (destinations: Destination[]) => ({ destinations }) as Overview;

  it('are proved when every one that picks an input is', () => {
    expect(allProved(over([good, phones]))).toBe(true);
    expect(allProved(over([good, stale]))).toBe(false);
    expect(allProved(over([phones]))).toBe(false);
    expect(proofCount(over([good, stale, phones, listener({ on: false })]))).toEqual({ good: 1, all: 2 });
  });

  it('leave to do what is at fault in programs that are in use', () => {
    const faulty = listener({ audit: [verdict('picks raw', 'fault', 'Pick it.'), verdict('one rate', 'good')] });
    expect(leftToDo(over([faulty, { ...faulty, on: false }]))).toEqual(['Pick it.']);
  });
});

describe('times and room', () => {
  it('are short', () => {
    expect(clockOf(65.9)).toBe('01:05');
    expect(clockOf(3725)).toBe('01:02:05');
    expect(roomText(29.9)).toBe('29 min');
    expect(roomText(600)).toBe('10 h');
  });
});
