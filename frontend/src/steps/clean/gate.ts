import { marked, t } from '../../lib/words';
import { area, curveStepAfter } from 'd3-shape';
import { decibelScale } from '../../lib/scales';

/** Geometry of the gate's picture: words stand up from a middle line, the room hangs down from it, on one scale of levels. */

export const LOW = -90;
export const MARGIN = { left: 14, right: 14, top: 46, bottom: 34 };
export const FROM_DBFS = -100;

export function scaleX(width: number) {
  return decibelScale(LOW, 0, MARGIN.left, width - MARGIN.right);
}

/** The level that lies under a place of the picture, to a half decibel. */
export function levelAt(x: number, width: number): number {
  return Math.round(scaleX(width).invert(x) * 2) / 2;
}

export interface Shapes {
  middle: number;
  speech: string;
  room: string;
  /** The parts that are likely to be speech, where that counts. */
  likely: { speech: string; room: string };
}

/** Shares per decibel as shapes. Each is as high as its own largest share: how often is compared within one, where between both. */
export function shapes(
  evidence: { speech: number[]; room: number[]; speech_likely?: number[]; room_likely?: number[] },
  width: number,
  height: number,
): Shapes {
  const x = scaleX(width);
  const top = MARGIN.top;
  const bottom = height - MARGIN.bottom;
  const middle = top + (bottom - top) * 0.55;
  const draw = (all: number[], to: number, shares = all) => {
    const highest = Math.max(...all, 1e-9);
    return (
      area<number>()
        .x((_, i) => x(FROM_DBFS + i))
        .y0(middle)
        .y1((share) => middle + (share / highest) * (to - middle))
        .curve(curveStepAfter)(shares) ?? ''
    );
  };
  const { speech, room, speech_likely = [], room_likely = [] } = evidence;
  return {
    middle,
    speech: draw(speech, top),
    room: draw(room, bottom),
    likely: { speech: draw(speech, top, speech_likely), room: draw(room, bottom, room_likely) },
  };
}

/** What a gate would do, in a few words. */
export function told(counts: {
  words: number;
  beginnings_cut: number;
  ends_cut: number;
  room_let_through_s: number;
  room_s: number;
  clicks_let_through: number;
  clicks: number;
}): string[] {
  const through = t('{room_let_through_s} of {room_s} s of room let through', {
    room_let_through_s: marked(counts.room_let_through_s.toFixed(1)),
    room_s: counts.room_s.toFixed(0),
  });
  return [
    t('{beginnings_cut} beginnings and {ends_cut} ends clipped of {words} words', {
      beginnings_cut: counts.beginnings_cut,
      ends_cut: counts.ends_cut,
      words: counts.words,
    }),
    through,
    counts.clicks
      ? t('{clicks_let_through} of {clicks} clicks let through', {
          clicks_let_through: counts.clicks_let_through,
          clicks: counts.clicks,
        })
      : t('no clicks in the room'),
  ];
}
