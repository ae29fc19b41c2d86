import { t } from '../../lib/words';

/** The passage that a person reads: our own text, it covers the sounds of the language that is spoken. */
export const PASSAGE = t(
  'The ferry leaves the boathouse at first light, when mist still hangs over the reeds. I check the yellow rope, push off with both hands, and let the current choose a measured pace. Two swans argue by the weir; a vole slips beneath the old jetty, and nothing else moves. Further down, the river joins a broad pool where church bells carry across the water. You can hear every oar, every leather strap, each zip of my jacket. Then rain begins, soft as sugar on paper. Should we turn back? No, we should not: a quiet hour like this is worth a soaked coat and cold, blue fingers.',
);

/** As much of it as a check needs. */
export const TO_READ = `${PASSAGE.slice(0, PASSAGE.lastIndexOf(' ', 330))}…`;
