import { expect, test, vi } from 'vitest';

const ask = vi.hoisted(() => vi.fn());
vi.mock('../../lib/api', async (whole) => ({ ...(await whole<object>()), ask }));
vi.stubGlobal('AudioContext', class {});

const { PairHearing } = await import('./blind.svelte');
const { desk } = await import('../../lib/state.svelte');

test('a sound that was let go while it was fetched is nobody’s trouble', async () => {
  let refuse: (error: Error) => void = () => undefined;
  ask.mockImplementation(() => new Promise((_, reject) => (refuse = reject)));
  const hearing = new PairHearing('series/sound');
  const played = hearing.play();
  hearing.stop();
  refuse(new Error('No series is running.'));
  await played;
  expect(desk.trouble).toBeNull();
});

test('one that is waited for is', async () => {
  ask.mockRejectedValue(new Error('The sentence of this series is gone.'));
  const hearing = new PairHearing('series/sound');
  await hearing.play();
  expect(hearing.playing).toBe(false);
  expect(desk.trouble).toBe('The sentence of this series is gone.');
});
