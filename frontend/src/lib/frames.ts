import type { Frame } from './api';

/** The last frames of the event stream: what live pictures draw. It holds ten seconds and no more. */

export const HELD_FRAMES = 200;
const HISTOGRAM_LOW = -96;

export class FrameStore {
  newest: Frame | null = null;
  /** Counts every frame that came, so that a picture knows whether there is something new. */
  count = 0;
  clipped = 0;
  #clippedAt: number | null = null;
  #peakHold: number | null = null;
  #levels: (number | null)[] = [];
  #peaks: (number | null)[] = [];

  add(frame: Frame, nowMs: number): void {
    this.newest = frame;
    this.count += 1;
    this.#peaks.push(frame.peak_dbfs);
    this.#levels.push(...frame.short_dbfs);
    if (this.#peaks.length > HELD_FRAMES) this.#peaks.shift();
    const over = this.#levels.length - HELD_FRAMES * 5;
    if (over > 0) this.#levels.splice(0, over);
    if (frame.peak_dbfs !== null && (this.#peakHold === null || frame.peak_dbfs > this.#peakHold)) {
      this.#peakHold = frame.peak_dbfs;
    }
    if (frame.clipped > 0) {
      this.clipped += frame.clipped;
      this.#clippedAt = nowMs;
    }
  }

  clear(): void {
    this.newest = null;
    this.#levels = [];
    this.#peaks = [];
    this.resetHold();
  }

  resetHold(): void {
    this.#peakHold = null;
    this.clipped = 0;
    this.#clippedAt = null;
  }

  get seconds(): number {
    return this.#peaks.length / 20;
  }

  get peakHold(): number | null {
    return this.#peakHold;
  }

  /** Highest peak of the last ten seconds. */
  get recentPeak(): number | null {
    const known = this.#peaks.filter((peak) => peak !== null);
    return known.length ? Math.max(...known) : null;
  }

  secondsSinceClipped(nowMs: number): number | null {
    return this.#clippedAt === null ? null : (nowMs - this.#clippedAt) / 1000;
  }

  /** Share of the last ten seconds' 10 ms frames at each whole dBFS from −96 to 0. */
  histogram(): number[] {
    const counts = new Array<number>(1 - HISTOGRAM_LOW).fill(0);
    for (const level of this.#levels) {
      const at = Math.round(Math.min(0, Math.max(HISTOGRAM_LOW, level ?? HISTOGRAM_LOW))) - HISTOGRAM_LOW;
      counts[at] = (counts[at] ?? 0) + 1;
    }
    return counts.map((count) => count / Math.max(1, this.#levels.length));
  }
}
