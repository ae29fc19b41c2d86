/** The takes of a step that are shown as chips: the newest few at first, older ones as they are asked for. */

import type { Purpose, Take } from './api';

const AT_FIRST = 3;

/** What is shown of the takes that the page has, and of older ones that were fetched; `null` where nobody asked for older ones. */
export function shownTakes(known: Take[], purposes: readonly Purpose[], fetched: Take[] | null): Take[] {
  const ours = known.filter((take) => purposes.includes(take.purpose));
  if (fetched !== null) {
    const there = new Set(ours.map((take) => take.id));
    return [...fetched.filter((take) => !there.has(take.id)), ...ours].sort((one, other) => one.id - other.id);
  }
  return (purposes.length > 1 ? ours.filter((take) => take.current || take.fault) : ours).slice(-AT_FIRST);
}

/** From which take of each purpose on older ones are asked for; nothing where all are shown. */
export function askedBefore(
  shown: Take[],
  older: readonly Purpose[],
  purposes: readonly Purpose[],
): [Purpose, number][] {
  return older
    .filter((purpose) => purposes.includes(purpose))
    .map((purpose) => {
      const ids = shown.filter((take) => take.purpose === purpose).map((take) => take.id);
      return [purpose, Math.min(...ids, Number.MAX_SAFE_INTEGER)];
    });
}
