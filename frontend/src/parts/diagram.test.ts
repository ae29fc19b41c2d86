import { expect, it } from 'vitest';
import type { DiagramPoint } from '../lib/api';
import { layout, PLOT, roomPath, voicePath, y } from './diagram';

function point(name: string, low: number | null, high: number | null, room: number | null): DiagramPoint {
  return {
    name,
    title: name,
    voice_low_dbfs: low,
    voice_high_dbfs: high,
    peak_dbfs: high,
    room_dbfs: room,
    note: null,
  };
}

it('stands levels on one scale, full scale at the top', () => {
  expect(y(0)).toBe(PLOT.top);
  expect(y(-100)).toBe(PLOT.bottom);
  expect(y(-200)).toBe(PLOT.bottom);
});

it('stands points over the steps that govern them, in the order of the path', () => {
  const found = layout(
    [point('converter', -38, -20, -65), point('toned', -38, -20, -64), point('to:Call', -30, -10, -52)],
    1000,
  );
  expect(found.path.map((s) => s.point.name)).toEqual(['converter', 'toned']);
  expect(found.path[0]!.x0).toBeGreaterThan(200);
  expect(found.path[0]!.x1).toBeLessThan(600);
  expect(found.destinations[0]!.x0).toBeGreaterThan(800);
});

it('does not draw what is not known', () => {
  const found = layout([point('converter', null, null, -65)], 1000);
  expect(voicePath(found.path)).toBe('');
  expect(roomPath(found.path).fill).not.toBe('');
});
