import { t } from '../../lib/words';

/** What a path takes its time for, in the order of the signal. */
export const PARTS = [
  { name: 'block_ms', title: t('block') },
  { name: 'chain_ms', title: t('chain') },
  { name: 'mix_ms', title: t('mix') },
  { name: 'edge_ms', title: t('edge') },
] as const;
