import { expect, it } from 'vitest';
import type { DiagramPoint } from '../lib/api';
import { fanPath, layout, peakPath, PLOT, roomFan, roomPath, voicePath, y } from './diagram';

function point(name: string, low: number | null, high: number | null, room: number | null): DiagramPoint {
  return {
    name,
    title: name,
    voice_low_dbfs: low,
    voice_high_dbfs: high,
    peak_dbfs: high,
    floor_dbfs_a: room,
    delay_ms: null,
    note: null,
    predicted: false,
  };
}

it('stands levels on one scale, full scale at the top', () => {
  expect(y(0)).toBe(PLOT.top);
  expect(y(-100)).toBe(PLOT.bottom);
  expect(y(-200)).toBe(PLOT.bottom);
});

it('stands points over the steps that govern them, in the order of the path', () => {
  const found = layout(
    [point('converter', -38, -20, -65), point('equalized', -38, -20, -64), point('to:Call', -30, -10, -52)],
    1000,
  );
  expect(found.path.map((s) => s.point.name)).toEqual(['converter', 'equalized']);
  expect(found.path[0]!.x0).toBeGreaterThan(1000 / 7);
  expect(found.path[0]!.x1).toBeLessThan(3000 / 7);
  expect(found.destinations[0]!.x0).toBeGreaterThan(800);
});

it('does not draw what is not known', () => {
  const found = layout([point('converter', null, null, -65)], 1000);
  expect(voicePath(found.path)).toBe('');
  expect(roomPath(found.path).fill).not.toBe('');
});

it('fans out to each destination from the end of the path, and side by side', () => {
  const points = [
    point('converter', -38, -20, -65),
    point('equalized', -38, -20, -64),
    point('to:Call', -30, -10, -52),
    point('to:Recorder', -30, -10, -52),
  ];
  const { path, destinations } = layout(points, 1000);
  const [call, recorder] = destinations;
  expect(call!.x1).toBeLessThan(recorder!.x0);
  expect(recorder!.x1).toBeLessThanOrEqual(1000);
  const fan = fanPath(path.at(-1)!, call!);
  expect(Number(/^M([\d.]+)/.exec(fan)![1])).toBeCloseTo(path.at(-1)!.x1 - 1, 2);
  expect(roomFan(path.at(-1)!, call!)).not.toBe('');
});

it('keeps the mic clear of the scale at the left', () => {
  const { path } = layout([point('mic', -70, -52, -96), point('converter', -38, -20, -65)], 1000);
  expect(path[0]!.point.name).toBe('mic');
  expect(path[0]!.x0).toBeGreaterThan(40);
  expect(path[0]!.x1).toBeLessThan(path[1]!.x0);
});

it('draws a peak line only where peaks are known', () => {
  const silent = { ...point('converter', null, null, -65), peak_dbfs: null };
  expect(peakPath(layout([silent], 1000).path)).toBe('');
  expect(peakPath(layout([point('converter', -38, -20, -65)], 1000).path)).not.toBe('');
});
