import { expect, it } from 'vitest';
import { standing, tabIcon, tabTitle, type Standing } from './tab';

const run = { live: true, wanted: true, feeds_muted: 'none', stopped_why: null } as const;

it.each<[string, Partial<typeof run> | object, boolean, boolean, Standing]>([
  ['live', {}, false, false, 'live'],
  ['not live', { live: false, wanted: false }, false, false, 'off'],
  ['every feed muted', { feeds_muted: 'all' }, false, false, 'muted'],
  ['one feed of two muted: somebody hears', { feeds_muted: 'some' }, false, false, 'live'],
  ['muted and not live', { live: false, wanted: false, feeds_muted: 'all' }, false, false, 'off'],
  ['live is wanted and stopped', { live: false, stopped_why: 'gone' }, false, false, 'trouble'],
  ['the program is gone', {}, true, false, 'trouble'],
  ['something waits to be read', { feeds_muted: 'all' }, false, true, 'trouble'],
])('%s', (_what, changed, lost, trouble, is) => {
  expect(standing({ ...run, ...changed }, lost, trouble)).toBe(is);
});

it('says it before the title, and draws each another way', () => {
  expect(tabTitle('muted', 'Send · Obsidian Wren')).toBe('Muted · Send · Obsidian Wren');
  expect(tabTitle('off', 'Send · Obsidian Wren')).toBe('Send · Obsidian Wren');
  expect(new Set((['off', 'live', 'muted', 'trouble'] as const).map(tabIcon)).size).toBe(4);
});
