import type { Quiet } from '../../lib/api';
import { decibelScale, frequencyScale } from '../../lib/scales';

/** Geometry of the quiet picture: third octaves from their mid-bands, hum lines above them. */

export const MARGIN = { left: 54, right: 12, top: 40, bottom: 42 };
const TICKS_HZ = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];

export interface Bar {
  x: number;
  width: number;
  top: number;
  bottom: number;
  label: string;
}

export function picture(quiet: Quiet, width: number, height: number) {
  const levels = quiet.third_octaves.map((band) => band.level_dbfs).filter((level) => level !== null);
  const lines = quiet.hum?.harmonics.map((line) => line.level_dbfs).filter((level) => level !== null) ?? [];
  const high = Math.ceil((Math.max(-60, ...levels, ...lines) + 4) / 10) * 10;
  const low = Math.min(high - 50, Math.floor((Math.min(...levels) - 4) / 10) * 10);
  const x = frequencyScale(22, 22500, MARGIN.left, width - MARGIN.right);
  const y = decibelScale(low, high, height - MARGIN.bottom, MARGIN.top);
  const bars: Bar[] = quiet.third_octaves.map((band) => {
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
  const hum = (quiet.hum?.harmonics ?? []).map((line) => ({ x: x(line.hz), y: y(line.level_dbfs ?? low), ...line }));
  const tones = quiet.tones.map((line) => ({ x: x(line.hz), y: y(line.level_dbfs ?? low), ...line }));
  return { x, y, low, high, bars, hum, tones, ticks: TICKS_HZ.map((hz) => ({ hz, x: x(hz) })) };
}
