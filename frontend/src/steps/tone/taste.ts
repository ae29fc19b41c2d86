import { marked, t } from '../../lib/words';

/** The dimensions of taste in their order: as they are called, and where they act. */
export const TASTE_NAMES = [
  ['warmth_db', t('Warmth'), t('around 160 Hz')],
  ['body_db', t('Body'), t('around 450 Hz')],
  ['clarity_db', t('Clarity'), t('around {at} kHz', { at: marked('3.2') })],
  ['air_db', t('Air'), t('over 9 kHz')],
  ['density_db', t('Density'), t('how much the compressor evens your level')],
] as const;
