/** The two halves of the picture: where each half second stands, and the outlines of what it holds. */

export const LOWEST = -96;

type Level = number | null;

/** A ribbon for each stretch that is spoken without a pause of a whole step, through the middle of each. */
export function ribbons(
  low: readonly Level[],
  high: readonly Level[],
  x: (step: number) => number,
  y: (level: number) => number,
): string[] {
  const found: string[] = [];
  let run: number[] = [];
  const end = () => {
    const [first, last] = [run[0], run.at(-1)];
    if (first === undefined || last === undefined) return;
    // To both ends of what is spoken, so that one step alone has a width.
    const at = [first - 0.5, ...run, last + 0.5];
    const of = (levels: readonly Level[], k: number) =>
      `${x(k + 0.5)} ${y(levels[Math.min(last, Math.max(first, Math.round(k)))] ?? LOWEST)}`;
    const upper = at.map((k) => of(high, k));
    const lower = at.map((k) => of(low, k)).reverse();
    found.push(`M${[...upper, ...lower].join('L')}Z`);
    run = [];
  };
  low.forEach((level, k) => {
    if (level === null) end();
    else run.push(k);
  });
  end();
  return found;
}

/** The room's edge from pause to pause; between them it is where both lead. */
export function edge(
  room: readonly Level[],
  x: (step: number) => number,
  y: (level: number) => number,
): { x: number; y: number }[] {
  const known = room.flatMap((level, k) => (level === null ? [] : [{ x: x(k + 0.5), y: y(Math.max(LOWEST, level)) }]));
  const [first, last] = [known[0], known.at(-1)];
  if (!first || !last) return [];
  return [{ x: x(0), y: first.y }, ...known, { x: x(room.length), y: last.y }];
}

/** A sentence in pieces: numbers with their units, and what stands between them. */
export function pieces(sentence: string): { text: string; number: boolean }[] {
  return sentence
    .split(/([−+]?\d+(?:[.,]\d+)?(?:\s(?:dB|Hz|kHz))?)/)
    .map((text, k) => ({ text, number: k % 2 === 1 }))
    .filter((piece) => piece.text !== '');
}
