/** The kinds with one of them a place earlier or later. */
export function moved(kinds: string[], kind: string, by: -1 | 1): string[] {
  const from = kinds.indexOf(kind);
  const to = from + by;
  if (from < 0 || to < 0 || to >= kinds.length) return [...kinds];
  const next = [...kinds];
  next.splice(from, 1);
  next.splice(to, 0, kind);
  return next;
}
