/** Trimming a clip: its ends stay in order, a twentieth of a second apart at least, and on hundredths. */

export const SHORTEST_S = 0.05;

export interface Ends {
  start: number;
  end: number;
}

/** The ends after one of them was moved; the other stays where it is. */
export function cut(ends: Ends, which: 'start' | 'end', to: number, seconds: number): Ends {
  const at = Math.round(to * 100) / 100;
  if (which === 'start') return { ...ends, start: Math.min(Math.max(0, at), round(ends.end - SHORTEST_S)) };
  return { ...ends, end: Math.max(Math.min(seconds, at), round(ends.start + SHORTEST_S)) };
}

function round(seconds: number): number {
  return Math.round(seconds * 1000) / 1000;
}

/** By how many seconds a key moves an end; null for a key that does not. */
export function edgeBy(key: string): number | null {
  return (
    { ArrowLeft: -0.01, ArrowRight: 0.01, ArrowDown: -0.01, ArrowUp: 0.01, PageDown: -0.1, PageUp: 0.1 }[key] ?? null
  );
}

/** The waveform as strokes about the middle, one for each stretch. */
export function heights(waveform: readonly number[], width: number, height: number): string {
  const step = width / Math.max(1, waveform.length);
  return waveform
    .map((share, i) => {
      const long = Math.max(0.8, share * (height - 4));
      return `M${(step * (i + 0.5)).toFixed(1)} ${((height - long) / 2).toFixed(1)}v${long.toFixed(1)}`;
    })
    .join('');
}
