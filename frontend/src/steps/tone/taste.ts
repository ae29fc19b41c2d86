import { t } from '../../lib/words';

/** The dimensions of taste in their order, as they are called. */
export const TASTE_NAMES = [
  ['warmth_db', t('Warmth')],
  ['body_db', t('Body')],
  ['clarity_db', t('Clarity')],
  ['air_db', t('Air')],
  ['density_db', t('Density')],
] as const;
