/** What the knobs and pads of the simulated controller send, by the MIDI 1.0 standard. */

export const KNOBS = [20, 21, 22, 23];
export const PADS = [36, 37, 38, 39];
const CONTROL_CHANGE = 0xb0;
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;
const HIT = 100;

export function knobBytes(knob: number, value: number): number[] {
  return [CONTROL_CHANGE, KNOBS[knob] ?? 0, value];
}

export function padBytes(pad: number, down: boolean): number[] {
  return down ? [NOTE_ON, PADS[pad] ?? 0, HIT] : [NOTE_OFF, PADS[pad] ?? 0, 0];
}
