import { area, line } from 'd3-shape';

type Scale = (value: number) => number;

interface Profile {
  hz: number[];
  density_db: number[];
  spread_db: number[];
}

/** One point for each twelfth of an octave, so that high frequencies do not draw a thousand. */
export function thinned(profile: Profile): [number, number, number][] {
  const rows: [number, number, number][] = [];
  let next = 40;
  profile.hz.forEach((hz, i) => {
    if (hz < next) return;
    rows.push([hz, profile.density_db[i] ?? 0, profile.spread_db[i] ?? 0]);
    next = hz * 2 ** (1 / 12);
  });
  return rows;
}

export function spectrumPath(profile: Profile, x: Scale, y: Scale, shiftDb: number): string {
  return (
    line<[number, number, number]>()
      .x((row) => x(row[0]))
      .y((row) => y(row[1] + shiftDb))(thinned(profile)) ?? ''
  );
}

export function spreadPath(profile: Profile, x: Scale, y: Scale): string {
  return (
    area<[number, number, number]>()
      .x((row) => x(row[0]))
      .y0((row) => y(row[1] - row[2]))
      .y1((row) => y(row[1] + row[2]))(thinned(profile)) ?? ''
  );
}
