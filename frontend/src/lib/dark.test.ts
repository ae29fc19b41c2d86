import { expect, it } from 'vitest';
import { dark, rankOf } from './dark.svelte';

const button = (places: string[], waits = false) =>
  ({
    closest: (place: string) => (places.some((each) => place.split(', ').includes(each)) ? {} : null),
    getAttribute: () => (waits ? 'true' : null),
  }) as unknown as HTMLElement;

const foot = button(['footer']);
const action = button(['main', '.bench']);
const leaf = button(['main', '.bench', '.evidence']);

it('the nearest to what is done now is dark, and the next one when it goes', () => {
  const [letFoot, letLeaf] = [dark.ask(foot), dark.ask(leaf)];
  const letAction = dark.ask(action);
  expect(dark.chosen).toBe(leaf);
  letLeaf();
  expect(dark.chosen).toBe(action);
  letAction();
  expect(dark.chosen).toBe(foot);
  letFoot();
  expect(dark.chosen).toBeUndefined();
});

it('what cannot be pressed gives way to whatever can', () => {
  expect(rankOf(button(['main', '.evidence'], true))).toBeGreaterThan(rankOf(foot));
  expect(rankOf(button(['dialog']))).toBeLessThan(rankOf(leaf));
});
