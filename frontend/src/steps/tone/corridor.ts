import { area, line } from 'd3-shape';
import type { Tone } from '../../lib/api';
import { decibelScale, frequencyScale } from '../../lib/scales';

/** Geometry of the tone picture: what the rig adds and how sure that is, the voice against its target, the correction. */

export const MARGIN = { left: 54, right: 14, top: 26, bottom: 42 };
export const TICKS_HZ = [63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];
const TRUSTED = 0.5;
const LOW_HZ = 70;
const HIGH_HZ = 18000;
const LEAST_DB = 6;
const MOST_DB = 15;
const STEP_DB = 3;

interface Point {
  hz: number;
  db: number;
}

interface Range extends Point {
  sd: number;
}

export function picture(tone: Tone, width: number, height: number) {
  const first = tone.trust.findIndex((trust) => trust > TRUSTED);
  const last = tone.trust.findLastIndex((trust) => trust > TRUSTED);
  const inSpan = (i: number) => i >= first && i <= last;
  const shown = (i: number) => (tone.points_hz[i] ?? 0) >= 80;
  const points = (values: number[], keep: (i: number) => boolean): Point[] =>
    tone.points_hz.flatMap((hz, i) => (keep(i) ? [{ hz, db: values[i] ?? 0 }] : []));
  const span = [tone.deviation_db, tone.correction_db, tone.wanted_db].flatMap((curve) =>
    points(curve, inSpan).map((point) => Math.abs(point.db)),
  );
  const reach = Math.ceil(Math.min(MOST_DB, Math.max(LEAST_DB, ...span)) / STEP_DB) * STEP_DB;
  const x = frequencyScale(LOW_HZ, HIGH_HZ, MARGIN.left, width - MARGIN.right);
  const y = decibelScale(-reach, reach, height - MARGIN.bottom, MARGIN.top);
  const held = (db: number) => y(Math.min(reach, Math.max(-reach, db)));
  const curve = line<Point>()
    .x((p) => x(p.hz))
    .y((p) => held(p.db));
  const band = area<Range>()
    .x((p) => x(p.hz))
    .y0((p) => held(p.db - p.sd))
    .y1((p) => held(p.db + p.sd));
  const range = (keep: (i: number) => boolean): Range[] =>
    tone.points_hz.flatMap((hz, i) =>
      keep(i) ? [{ hz, db: tone.rig_db[i] ?? 0, sd: tone.uncertainty_db[i] ?? 0 }] : [],
    );
  return {
    x,
    y,
    low: -reach,
    high: reach,
    known: band(range(inSpan)) ?? '',
    knownAll: band(range(shown)) ?? '',
    rig: curve(points(tone.rig_db, inSpan)) ?? '',
    voice: curve(points(tone.deviation_db, inSpan)) ?? '',
    correction: curve(points(tone.correction_db, inSpan)) ?? '',
    correctionAll: curve(points(tone.correction_db, shown)) ?? '',
    labels: labels(tone, first, last, x, held),
  };
}

/** Third octaves that are heard now against the target, around its level where the voice is trusted; null in silence. */
export function heardNow(tone: Tone, bandsHz: number[], bandsDb: (number | null)[]): Point[] | null {
  const known = bandsHz.flatMap((hz, i) => {
    const db = bandsDb[i];
    const at = tone.points_hz.findIndex((point) => point >= hz);
    if (db === null || db === undefined || at < 0) return [];
    return [{ hz, over: db - (tone.average_db[at] ?? 0), sure: (tone.trust[at] ?? 0) > TRUSTED && db > -75 }];
  });
  const sure = known.filter((band) => band.sure);
  if (sure.length < 5) return null;
  const level = sure.reduce((sum, band) => sum + band.over, 0) / sure.length;
  return known.map((band) => ({ hz: band.hz, db: band.over - level }));
}

/** Where names can stand: the rig's and the correction's where these are farthest apart. */
function labels(tone: Tone, first: number, last: number, x: (hz: number) => number, y: (db: number) => number) {
  const gap = (i: number) => Math.abs((tone.rig_db[i] ?? 0) - (tone.correction_db[i] ?? 0));
  let widest = Math.min(first + 6, last);
  for (let i = widest; i <= last - 6; i++) if (gap(i) > gap(widest)) widest = i;
  const above = (tone.rig_db[widest] ?? 0) >= (tone.correction_db[widest] ?? 0);
  const at = x(tone.points_hz[widest] ?? 1000);
  return {
    rig: { x: at, y: y(tone.rig_db[widest] ?? 0) + (above ? -12 : 24) },
    correction: { x: at, y: y(tone.correction_db[widest] ?? 0) + (above ? 24 : -12) },
  };
}
