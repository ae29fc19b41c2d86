import { describe, expect, it } from 'vitest';
import type { Overview } from './api';
import { headersFor, merged, missed } from './parts';
import type { Answer } from './api';

const shown = {
  revision: 4,
  have: { rig: 'a', room: 'b' },
  quiet: { rms_dbfs: -60 },
  findings: [],
} as unknown as Overview;
const answer = (more: object) => ({ revision: 5, findings: [], ...more }) as unknown as Answer;

describe('the parts of the state', () => {
  it('are all wanted before there are any', () => {
    expect(headersFor('quiet', null)).toEqual({});
  });

  it('are wanted as a step shows them, but for those at hand', () => {
    const headers = headersFor('quiet', shown);
    expect(headers['Wren-Want']?.split(',')).toContain('room');
    expect(headers['Wren-Want']?.split(',')).not.toContain('send');
    expect(headers['Wren-Have']).toBe('rig=a,room=b');
  });

  it('stay where an answer does not hold them', () => {
    const after = merged(shown, answer({ have: { rig: 'c' }, rig: { name: 'Loft' } }));
    expect(after.quiet).toEqual({ rms_dbfs: -60 });
    expect(after.have).toEqual({ rig: 'c', room: 'b' });
    expect(after.revision).toBe(5);
  });

  it('are missed where another answer changed them meanwhile', () => {
    expect(missed(shown, answer({ have: { room: 'b' } }))).toEqual([]);
    expect(missed(shown, answer({ have: { room: 'z' } }))).toEqual(['room']);
    expect(missed(shown, answer({ have: { room: 'z' }, quiet: null }))).toEqual([]);
  });
});
