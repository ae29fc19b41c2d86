/** What the browser's tab shows, so that another window need not be left: live, muted, trouble. */

import type { Overview } from './api';
import bird from '../wren.svg?raw';
import { t } from './words';

export type Standing = 'off' | 'live' | 'muted' | 'trouble';

/** How it stands: `lost`, where the program is not heard; `trouble`, what waits to be read. */
export function standing(
  run: Pick<Overview['run'], 'live' | 'wanted' | 'feeds_muted' | 'stopped_why'>,
  lost: boolean,
  trouble: boolean,
): Standing {
  if (lost || trouble || (run.wanted && !run.live && run.stopped_why)) return 'trouble';
  if (!run.live) return 'off';
  return run.feeds_muted === 'all' ? 'muted' : 'live';
}

const WORDS: Record<Standing, string> = { off: '', live: t('Live'), muted: t('Muted'), trouble: t('Trouble') };

/** A title with how it stands before it: a narrow tab shows only its beginning. */
export function tabTitle(standing: Standing, title: string): string {
  return WORDS[standing] ? `${WORDS[standing]} · ${title}` : title;
}

// The marks of the page, by shape as well as by colour; on a ground of their own, since a browser's tabs are light or dark.
const MARKS: Record<Standing, string> = {
  off: '',
  live: '<path d="M22 4 31.500 13.500 22 23 12.500 13.500Z" fill="#0b6b8a" stroke="#fff" stroke-width="1.500"/>',
  muted: '<rect x="15" y="7" width="14" height="14" fill="#fff" stroke="#b3266b" stroke-width="4"/>',
  trouble: '<rect x="13.500" y="5.500" width="17" height="17" fill="#b3266b" stroke="#fff" stroke-width="1.500"/>',
};

/** The icon as an address: the bird, with the mark of how it stands. */
export function tabIcon(standing: Standing): string {
  const svg = bird.replace('</svg>', `${MARKS[standing]}</svg>`);
  return `data:image/svg+xml,${encodeURIComponent(svg)}`;
}
