import type { Quiet } from '../../lib/api';
import { decibelScale, frequencyScale } from '../../lib/scales';

/** Geometry of the quiet pictures: third octaves from their mid-bands, hum lines above them, and what they are held against. */

export const MARGIN = { left: 54, right: 12, top: 40, bottom: 42 };
export const TICKS_HZ = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];

export interface Bar {
  x: number;
  width: number;
  top: number;
  bottom: number;
  label: string;
}

export interface Band {
  centre_hz: number;
  level_dbfs: number | null;
}

/** Whole tens around every level that is drawn. */
export function range(levels: number[]): [number, number] {
  const high = Math.ceil((Math.max(-60, ...levels) + 4) / 10) * 10;
  const lowest = levels.length ? Math.min(...levels) : high - 50;
  return [Math.min(high - 50, Math.max(high - 90, Math.floor((lowest - 4) / 10) * 10)), high];
}

export function scales(low: number, high: number, width: number, height: number) {
  return {
    x: frequencyScale(22, 22500, MARGIN.left, width - MARGIN.right),
    y: decibelScale(low, high, height - MARGIN.bottom, MARGIN.top),
  };
}

function bars(bands: Band[], low: number, { x, y }: ReturnType<typeof scales>): Bar[] {
  return bands.map((band) => {
    const left = x(band.centre_hz * 10 ** -0.05);
    const right = x(band.centre_hz * 10 ** 0.05);
    const level = band.level_dbfs ?? low;
    return {
      x: left + 1.5,
      width: right - left - 3,
      top: y(level),
      bottom: y(low),
      label: `${band.centre_hz} Hz ${level}`,
    };
  });
}

function known(bands: Band[]): number[] {
  return bands.map((band) => band.level_dbfs).filter((level) => level !== null);
}

/** `held`: another take's bands, drawn as a stitch over each band. */
export function picture(quiet: Quiet, width: number, height: number, held: Band[] = []) {
  const lines = quiet.hum?.harmonics.map((line) => line.level_dbfs).filter((level) => level !== null) ?? [];
  const [low, high] = range([...known(quiet.third_octaves), ...known(held), ...lines]);
  const both = scales(low, high, width, height);
  const { x, y } = both;
  const hum = (quiet.hum?.harmonics ?? []).map((line) => ({ x: x(line.hz), y: y(line.level_dbfs ?? low), ...line }));
  const tones = quiet.tones.map((line) => ({ x: x(line.hz), y: y(line.level_dbfs ?? low), ...line }));
  const combs = quiet.buzz.map((comb) => ({ left: x(comb.low_hz), right: x(comb.high_hz), ...comb }));
  return {
    x,
    y,
    low,
    high,
    bars: bars(quiet.third_octaves, low, both),
    held: bars(held, low, both),
    hum,
    tones,
    combs,
    ticks: TICKS_HZ.map((hz) => ({ hz, x: x(hz) })),
  };
}

/** What a live spectrum differs by from a held one, A-weighted, and the band that fell most. */
export function fallen(now: (number | null)[], held: (number | null)[], hz: number[]) {
  let most: { hz: number; db: number } | null = null;
  now.forEach((level, i) => {
    const before = held[i];
    const centre = hz[i];
    if (level === null || before === null || before === undefined || centre === undefined) return;
    if (most === null || level - before < most.db) most = { hz: centre, db: level - before };
  });
  return most as { hz: number; db: number } | null;
}
