interface Moving {
  step_s: number;
  before_dbfs_a: number[];
  after_dbfs_a: number[];
  always_dbfs_a: number | null;
  moments: { kind: string; start_s: number; end_s: number; level_dbfs: number }[];
}

/** A moment as it is drawn: its points before, the level that remains, and whether its kind is written over it. */
export interface Drawn {
  kind: string;
  points: [number, number][];
  top: number;
  remains: number;
  start: number;
  end: number;
  named: boolean;
}

/** Moments with the levels inside them; a kind is named again only where it lies `apart_s` from where it was named. */
export function drawn(moving: Moving, apart_s: number): Drawn[] {
  const last = new Map<string, number>();
  let written = -Infinity;
  return moving.moments.map((moment) => {
    const first = Math.round(moment.start_s / moving.step_s);
    const end = Math.max(first + 1, Math.round(moment.end_s / moving.step_s));
    const before = moving.before_dbfs_a.slice(first, end);
    const after = moving.after_dbfs_a.slice(first, end);
    const at = moment.start_s;
    // Two names never stand on one another, whatever they name.
    const named = at - (last.get(moment.kind) ?? -Infinity) >= 2 * apart_s && at - written >= apart_s;
    if (named) {
      last.set(moment.kind, at);
      written = at;
    }
    return {
      kind: moment.kind,
      points: before.map((level, i) => [(first + i) * moving.step_s, level]),
      top: Math.max(...before, moment.level_dbfs),
      remains: mean(after.length ? after : [moment.level_dbfs]),
      start: moment.start_s,
      end: moment.end_s,
      named,
    };
  });
}

/** The line round a moment: up from what is always there, and down to it again. */
export function outline(moment: Drawn, rest: number): [number, number][] {
  const over = moment.points.map(([at, level]): [number, number] => [at, Math.max(level, rest)]);
  return [[moment.start, rest], ...over, [moment.end, rest]];
}

/** The mean of levels by their power, dB. */
export function mean(levels: number[]): number {
  return 10 * Math.log10(levels.reduce((sum, level) => sum + 10 ** (level / 10), 0) / levels.length);
}

/** The levels that a picture spans, in whole tens. */
export function span(moving: Moving): [number, number] {
  const rest = moving.always_dbfs_a ?? -90;
  const top = Math.max(rest, ...moving.before_dbfs_a) + 6;
  const low = rest - 14;
  return [Math.floor(low / 10) * 10, Math.ceil(top / 10) * 10];
}
