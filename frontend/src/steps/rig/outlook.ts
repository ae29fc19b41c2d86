import { t } from '../../lib/words';
import type { Outlook } from '../../lib/api';
import { decibelScale } from '../../lib/scales';
import { level } from '../../lib/format';

/** Geometry of the outlook: each source of noise at the capsule, their sum, and the voice over it, on one line of dB SPL. */

export const LEFT = 132;
const TITLES: Record<string, string> = {
  room: t('room'),
  microphone: t('microphone itself'),
  interface: t('interface'),
};

export interface Row {
  name: string;
  y: number;
  left: number;
  right: number | null;
  text: string;
  assumed: boolean;
  voice: boolean;
  /** Where it was expected, once it is measured and stands elsewhere. */
  expected: number | null;
}

/** Closer than this the mark of what was expected would lie on the end of the bar. */
const APART = 4;

function mark(measured: boolean, at: number, expected: number): number | null {
  return measured && Math.abs(at - expected) >= APART ? expected : null;
}

export function picture(outlook: Outlook, maxSpl: number | null, width: number, height: number) {
  const x = decibelScale(-10, 140, LEFT, width - 16);
  const base = height - 42;
  const apart = Math.min(84, (base - 30) / (outlook.contributions.length + 1));
  const rows: Row[] = outlook.contributions.map((part, i) => ({
    name: TITLES[part.name] ?? part.name,
    y: 22 + (i + 0.6) * apart,
    left: x(-10),
    right: part.level_dba === null ? null : x(part.level_dba),
    text: part.level_dba === null ? '' : `${level(part.level_dba, 0)} dB(A)`,
    assumed: part.assumed,
    voice: false,
    expected:
      part.name === 'room' && part.level_dba !== null
        ? mark(outlook.floor_measured, x(part.level_dba), x(outlook.expected_floor_dba))
        : null,
  }));
  const voiceY = 22 + (outlook.contributions.length + 0.6) * apart;
  rows.push({
    name: t('voice'),
    y: voiceY,
    left: x(outlook.floor_dba),
    right: x(outlook.talk_db_spl),
    text: `${level(outlook.talk_db_spl, 0)} dB`,
    assumed: false,
    voice: true,
    expected: mark(outlook.talk_measured, x(outlook.talk_db_spl), x(outlook.expected_talk_db_spl)),
  });
  return {
    x,
    base,
    rows,
    voiceY,
    floor: x(outlook.floor_dba),
    talk: x(outlook.talk_db_spl),
    limit: maxSpl === null ? null : x(maxSpl),
  };
}
