import { expect, test } from 'vitest';
import { columns, csv, shown } from './numbers';

test('columns stand side by side, and what is missing is unknown', () => {
  expect(columns({ Hz: [100, 200], dB: [1.5, undefined], what: ['hum'] })).toEqual({
    columns: ['Hz', 'dB', 'what'],
    rows: [
      [100, 1.5, 'hum'],
      [200, null, null],
    ],
  });
});

test('comma-separated values keep every digit and quote what would part them', () => {
  const numbers = {
    columns: ['Hz', 'level, dBFS'],
    rows: [
      [31.5, -60.123456],
      [63, null],
      ['say "no"', 0],
    ],
  };
  expect(csv(numbers)).toBe('Hz,"level, dBFS"\r\n31.5,-60.123456\r\n63,\r\n"say ""no""",0\r\n');
});

test('a table rounds as a person reads, with a true minus', () => {
  expect([-60.1249, 12345.6, null, 'room'].map(shown)).toEqual(['−60.12', '12346', 'unknown', 'room']);
});
