import { takeFrames, type TakeFrames } from './api';

/** What the pictures show while a take plays: fetched once for each version of a take. */
export class Tape {
  frames: TakeFrames | null = null;
  #key = '';

  async load(takeId: number, version: 'raw' | 'treated', revision: string): Promise<TakeFrames | null> {
    const key = `${takeId}/${version}/${revision}`;
    if (key !== this.#key) {
      this.#key = key;
      const found = await takeFrames(takeId, version).catch(() => null);
      if (this.#key !== key) return this.frames;
      this.frames = found;
      // What could not be fetched is asked for again the next time.
      if (!found) this.#key = '';
    }
    return this.frames;
  }
}

/** The frame at a moment of the take. */
export function at<T>(rows: T[], stepS: number, seconds: number): T | null {
  return rows[Math.min(rows.length - 1, Math.max(0, Math.floor(seconds / stepS)))] ?? null;
}
