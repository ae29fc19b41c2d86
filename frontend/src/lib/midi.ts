/** Messages of controllers by the MIDI 1.0 standard, and soft takeover. */

export interface ControlMessage {
  kind: 'note' | 'control';
  /** From 1 to 16, as on the devices. */
  channel: number;
  number: number;
  /** From 0 to 127. A note that ends has 0. */
  value: number;
}

const NOTE_OFF = 0x8;
const NOTE_ON = 0x9;
const CONTROL_CHANGE = 0xb;
const DATA_BYTES = 3;

/** A note or a control change; null for any other message, and for bytes that are none. */
export function parse(bytes: ArrayLike<number>): ControlMessage | null {
  const [status = 0, number = 0, value = 0] = Array.from(bytes);
  if (bytes.length < DATA_BYTES || status < 0x80 || number > 127 || value > 127) return null;
  const channel = (status & 0xf) + 1;
  switch (status >> 4) {
    case NOTE_ON:
      return { kind: 'note', channel, number, value };
    case NOTE_OFF:
      return { kind: 'note', channel, number, value: 0 };
    case CONTROL_CHANGE:
      return { kind: 'control', channel, number, value };
    default:
      return null;
  }
}

/** How near a knob has to come to what it turns before it takes hold, as a share of its way. */
const NEAR = 0.02;

/** Soft takeover: a knob turns nothing until it passes where its setting stands, so that nothing jumps. */
export class SoftTakeover {
  #before: number | null = null;
  #holds = false;
  #left: number | null = null;

  /** Where the knob is and where its setting stands, both from 0 to 1: whether the knob turns it now. */
  turn(knob: number, setting: number): boolean {
    // Something else moved the setting away from where the knob left it.
    if (this.#holds && this.#left !== null && Math.abs(setting - this.#left) > 2 * NEAR) this.#holds = false;
    const before = this.#before;
    this.#before = knob;
    if (!this.#holds) {
      const passed = before !== null && (before - setting) * (knob - setting) <= 0;
      this.#holds = passed || Math.abs(knob - setting) <= NEAR;
    }
    if (this.#holds) this.#left = knob;
    return this.#holds;
  }
}

/** Where a value lies between its ends, from 0 to 1: frequencies and ratios by their logarithm. */
export function shareOf(value: number, low: number, high: number, unit: string): number {
  const [at, from, to] = scaled(unit, low) ? [value, low, high].map(Math.log) : [value, low, high];
  return Math.min(1, Math.max(0, (at! - from!) / (to! - from!)));
}

/** The value at a share of the way between the ends, on the setting's own steps. */
export function valueAt(share: number, low: number, high: number, unit: string, step: number): number {
  const value = scaled(unit, low) ? low * (high / low) ** share : low + share * (high - low);
  const stepped = unit === 'Hz' ? Number(value.toPrecision(3)) : Math.round(value / step) * step;
  return Math.round(Math.min(high, Math.max(low, stepped)) * 100) / 100;
}

function scaled(unit: string, low: number): boolean {
  return low > 0 && (unit === 'Hz' || unit === ':1' || unit === 'ms');
}
