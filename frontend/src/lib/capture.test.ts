import { expect, it } from 'vitest';
import { notObeyed } from './capture';

it('names just the processing that stayed on', () => {
  expect(notObeyed({ echoCancellation: false, noiseSuppression: true, autoGainControl: true })).toEqual([
    'noise suppression',
    'auto gain',
  ]);
  expect(notObeyed({ echoCancellation: false, noiseSuppression: false })).toEqual([]);
});
