/** What empty views show until there is something of one's own: figures of the demo, drawn as what they stand for (`make examples`). */

import type { Recording, Series, Split, Two } from './api';
import drawn from './examples.json';
import { t } from './words';

/** The way to a listener: what is made here by part, and what the marker measured in all, ms. */
export interface Path {
  name: string;
  delay: { block_ms: number; chain_ms: number; mix_ms: number; edge_ms: number };
  delay_ms: number | null;
}

export const SPLIT = drawn.split as Pick<Split, 'parts' | 'gain_db'>;
export const TWO: Pick<Two, 'first' | 'second' | 'bands'> = drawn.two;
export const SERIES: Pick<
  Series,
  'title' | 'first_name' | 'sentence' | 'first' | 'rounds' | 'same' | 'chance_low' | 'chance_high' | 'heard'
> = { ...drawn.series, title: t('Treated against raw'), first_name: t('the treated voice'), sentence: '' };
export const RECORDING: Pick<Recording, 'title' | 'waveform' | 'seconds' | 'loudness_lufs' | 'true_peak_dbtp'> =
  drawn.recording;
/** The boathouse's listeners have names of their own; only these are called what they are. */
export const PATHS: Path[] = drawn.paths.map((path) =>
  path.name === 'Headphones' ? { ...path, name: t('Headphones') } : path,
);
export const REPORT = drawn.report;
