import { area, curveMonotoneX, line } from 'd3-shape';
import type { DiagramPoint } from '../lib/api';
import { decibelScale } from '../lib/scales';

/** Geometry of the level diagram: where each point of the path stands, and the shapes between them. */

export const HEIGHT = 218;
export const PLOT = { top: 16, bottom: 162 };
export const RANGE: [number, number] = [-100, 0];
const COLUMNS = 7;
const LEFT = 46;

export interface Segment {
  point: DiagramPoint;
  x0: number;
  x1: number;
}

export interface Layout {
  path: Segment[];
  destinations: Segment[];
  column: number;
  /** On how many lines the names of destinations take turns, so that each has room. */
  lines: number;
}

export const y = decibelScale(RANGE[0], RANGE[1], PLOT.bottom, PLOT.top);

/** Stand each point over the steps that govern it: the mic over Rig, the converter over Quiet and Gain, and so on. */
export function layout(points: DiagramPoint[], width: number): Layout {
  const column = width / COLUMNS;
  const over: Record<string, [number, number]> = {
    mic: [LEFT, 0.84 * column],
    converter: [1.12 * column, 2.88 * column],
    cleaned: [3.14 * column, 3.84 * column],
    equalized: [4.14 * column, 4.84 * column],
    levelled: [5.12 * column, 5.62 * column],
  };
  const path: Segment[] = [];
  for (const point of points) {
    const span = over[point.name];
    if (span) path.push({ point, x0: span[0], x1: span[1] });
  }
  const ends = points.filter((point) => point.name.startsWith('to:'));
  const room = (1.22 * column) / Math.max(ends.length, 1);
  const gap = room < 60 ? 6 : 12;
  const destinations = ends.map((point, i) => {
    const x0 = 5.8 * column + i * room;
    return { point, x0, x1: x0 + room - gap };
  });
  return { path, destinations, column, lines: room < 60 ? 3 : room < 90 ? 2 : 1 };
}

type Edge = [number, number, number];

function edges(segments: Segment[], low: (p: DiagramPoint) => number | null, high: (p: DiagramPoint) => number | null) {
  const found: Edge[] = [];
  for (const { point, x0, x1 } of segments) {
    const a = low(point);
    const b = high(point);
    if (a === null || b === null) continue;
    found.push([x0, y(a), y(b)], [x1, y(a), y(b)]);
  }
  return found;
}

const ribbon = area<Edge>()
  .x((d) => d[0])
  .y0((d) => d[1])
  .y1((d) => d[2])
  .curve(curveMonotoneX);

const outline = line<Edge>()
  .x((d) => d[0])
  .y((d) => d[2])
  .curve(curveMonotoneX);

export function voicePath(segments: Segment[]): string {
  return (
    ribbon(
      edges(
        segments,
        (p) => p.voice_low_dbfs,
        (p) => p.voice_high_dbfs,
      ),
    ) ?? ''
  );
}

export function roomPath(segments: Segment[]): { fill: string; top: string } {
  const found = edges(
    segments,
    () => RANGE[0],
    (p) => p.floor_dbfs_a,
  );
  return { fill: ribbon(found) ?? '', top: outline(found) ?? '' };
}

export function peakPath(segments: Segment[]): string {
  return (
    outline(
      edges(
        segments,
        (p) => p.peak_dbfs,
        (p) => p.peak_dbfs,
      ),
    ) ?? ''
  );
}

function between(from: Segment, to: Segment): Segment[] {
  return [
    { ...from, x0: from.x1 - 1 },
    { ...to, x1: to.x0 + 1 },
  ];
}

/** The fan from the end of the path to one destination. */
export function fanPath(from: Segment, to: Segment): string {
  return voicePath(between(from, to));
}

/** The room under that fan. */
export function roomFan(from: Segment, to: Segment): string {
  return roomPath(between(from, to)).fill;
}
