import { area, line } from 'd3-shape';
import type { Tone } from '../../lib/api';
import { decibelScale, frequencyScale } from '../../lib/scales';

/** Geometry of the tone picture: as recorded, the corridor, as corrected, and the stitches between. */

export const MARGIN = { left: 54, right: 14, top: 26, bottom: 42 };
export const TICKS_HZ = [63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];
const TRUSTED = 0.5;
const STITCH_EVERY = 3;
const SHORTEST_STITCH_DB = 0.4;

interface Point {
  hz: number;
  db: number;
}

export interface Stitch {
  x: number;
  from: number;
  to: number;
}

function points(tone: Tone, values: number[], middle: number, keep: (i: number) => boolean): Point[] {
  return tone.points_hz.flatMap((hz, i) => (keep(i) ? [{ hz, db: (values[i] ?? 0) - middle }] : []));
}

export function picture(tone: Tone, width: number, height: number) {
  const middle = mean(tone.target_db.filter((_, i) => (tone.trust[i] ?? 0) > TRUSTED));
  const sure = (i: number) => (tone.trust[i] ?? 0) > TRUSTED;
  // What is not trusted is drawn faded, and only as far as the target reaches.
  const shown = (i: number) => (tone.points_hz[i] ?? 0) >= 100 && (tone.points_hz[i] ?? 0) <= 16000;
  const first = tone.trust.findIndex((trust) => trust > TRUSTED);
  const last = tone.trust.findLastIndex((trust) => trust > TRUSTED);
  const inSpan = (i: number) => i >= first && i <= last;
  const spread = [...tone.recorded_db, ...tone.corrected_db, ...tone.target_db].filter((_, i) =>
    sure(i % tone.trust.length),
  );
  const high = Math.ceil((Math.max(...spread) - middle + 3) / 6) * 6;
  const low = Math.floor((Math.min(...spread) - middle - 3) / 6) * 6;
  const x = frequencyScale(70, 18000, MARGIN.left, width - MARGIN.right);
  const y = decibelScale(low, high, height - MARGIN.bottom, MARGIN.top);
  const curve = line<Point>()
    .defined((p) => p.db >= low && p.db <= high)
    .x((p) => x(p.hz))
    .y((p) => y(p.db));
  const band = area<Point>()
    .x((p) => x(p.hz))
    .y0((p) => y(p.db - tone.corridor_db))
    .y1((p) => y(p.db + tone.corridor_db));
  const stitches: Stitch[] = tone.points_hz.flatMap((hz, i) => {
    const from = (tone.recorded_db[i] ?? 0) - middle;
    const to = (tone.corrected_db[i] ?? 0) - middle;
    const worth = i % STITCH_EVERY === 0 && sure(i) && Math.abs(from - to) >= SHORTEST_STITCH_DB;
    return worth ? [{ x: x(hz), from: y(from), to: y(to) }] : [];
  });
  return {
    x,
    y,
    low,
    middle,
    sureness: sureness(tone, middle, inSpan, x, y),
    high,
    stitches,
    corridor: band(points(tone, tone.target_db, middle, shown)) ?? '',
    corridorSure: band(points(tone, tone.target_db, middle, inSpan)) ?? '',
    recorded: curve(points(tone, tone.recorded_db, middle, inSpan)) ?? '',
    recordedAll: curve(points(tone, tone.recorded_db, middle, shown)) ?? '',
    corrected: curve(points(tone, tone.corrected_db, middle, inSpan)) ?? '',
    correctedAll: curve(points(tone, tone.corrected_db, middle, shown)) ?? '',
    labels: labels(tone, middle, first, last, x, y),
  };
}

/** How far the recorded spectrum may be off: two standard errors to either side. */
function sureness(
  tone: Tone,
  middle: number,
  keep: (i: number) => boolean,
  x: (hz: number) => number,
  y: (db: number) => number,
): string {
  const errors = tone.certainty_db;
  if (!errors) return '';
  const rows = tone.points_hz.flatMap((hz, i) =>
    keep(i) ? [{ hz, db: (tone.recorded_db[i] ?? 0) - middle, error: 2 * (errors[i] ?? 0) }] : [],
  );
  return (
    area<(typeof rows)[number]>()
      .x((row) => x(row.hz))
      .y0((row) => y(row.db - row.error))
      .y1((row) => y(row.db + row.error))(rows) ?? ''
  );
}

/** Third octaves that are heard now, brought to the level of the target where the voice is trusted; null in silence. */
export function heardNow(tone: Tone, bandsHz: number[], bandsDb: (number | null)[], middle: number): Point[] | null {
  const target = (hz: number) => {
    const i = tone.points_hz.findIndex((point) => point >= hz);
    return i < 0 ? null : { db: (tone.target_db[i] ?? 0) - middle, sure: (tone.trust[i] ?? 0) > TRUSTED };
  };
  const known = bandsHz.flatMap((hz, i) => {
    const db = bandsDb[i];
    const wanted = target(hz);
    return db === null || db === undefined || !wanted ? [] : [{ hz, db, wanted }];
  });
  const sure = known.filter((band) => band.wanted.sure && band.db > -75);
  if (sure.length < 5) return null;
  const shift = mean(sure.map((band) => band.wanted.db - band.db));
  return known.map((band) => ({ hz: band.hz, db: band.db + shift }));
}

/** Where names can stand: at the point of widest difference, away from each other. */
function labels(
  tone: Tone,
  middle: number,
  first: number,
  last: number,
  x: (hz: number) => number,
  y: (db: number) => number,
) {
  let widest = first;
  for (let i = first + 6; i <= last - 6; i++) {
    const gap = (j: number) => Math.abs((tone.recorded_db[j] ?? 0) - (tone.corrected_db[j] ?? 0));
    if (gap(i) > gap(widest) || widest === first) widest = i;
  }
  const at = (i: number, values: number[]) => ({ x: x(tone.points_hz[i] ?? 1000), y: y((values[i] ?? 0) - middle) });
  const recorded = at(widest, tone.recorded_db);
  const corrected = at(widest, tone.corrected_db);
  const above = recorded.y < corrected.y;
  return {
    recorded: { x: recorded.x, y: recorded.y + (above ? -10 : 20) },
    corrected: { x: corrected.x, y: corrected.y + (above ? 26 : -16) },
  };
}

function mean(values: number[]): number {
  return values.reduce((sum, value) => sum + value, 0) / Math.max(values.length, 1);
}
