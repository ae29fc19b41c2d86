import { expect, it } from 'vitest';
import type { Outlook } from '../../lib/api';
import { picture } from './outlook';

const outlook = {
  talk_db_spl: 73,
  floor_dba: 31,
  expected_talk_db_spl: 73,
  expected_floor_dba: 31,
  talk_measured: false,
  floor_measured: false,
  contributions: [
    { name: 'room', level_dba: 31, assumed: true },
    { name: 'microphone', level_dba: 13, assumed: false },
    { name: 'interface', level_dba: null, assumed: false },
  ],
} as unknown as Outlook;

it('stands the voice on the floor and to the right of it', () => {
  const p = picture(outlook, 134, 800, 300);
  const voice = p.rows.at(-1)!;
  expect(voice.left).toBe(p.floor);
  expect(voice.right).toBe(p.talk);
  expect(p.talk).toBeGreaterThan(p.floor);
  expect(p.limit).toBeGreaterThan(p.talk);
});

it('leaves out what is not known and says what is assumed', () => {
  const p = picture(outlook, null, 800, 300);
  expect(p.rows.find((row) => row.name === 'interface')!.right).toBeNull();
  expect(p.rows[0]!.assumed).toBe(true);
  expect(p.limit).toBeNull();
});

it('keeps rows apart and above the scale', () => {
  const p = picture(outlook, null, 700, 230);
  const heights = p.rows.map((row) => row.y);
  for (let i = 1; i < heights.length; i++) expect(heights[i]! - heights[i - 1]!).toBeGreaterThan(18);
  expect(heights.at(-1)! + 9).toBeLessThan(p.base);
});

it('marks what was expected where the measurement stands elsewhere', () => {
  const heard = { ...outlook, talk_db_spl: 66, floor_measured: true, talk_measured: true } as Outlook;
  const [room, , , voice] = picture(heard, null, 800, 300).rows;
  expect(room!.expected).toBeNull();
  expect(voice!.expected!).toBeGreaterThan(voice!.right!);
  expect(picture(outlook, null, 800, 300).rows.map((row) => row.expected)).toEqual([null, null, null, null]);
});
