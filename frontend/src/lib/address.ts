import type { StepName } from './api';
import { LEAVES } from './steps';

/** Every leaf of every step has an address, so that Back, reload and a link find it again. */

/** Where the guided run is. */
export const NOW = '#now';

export interface Address {
  step: StepName;
  leaf: string;
}

export function addressOf({ step, leaf }: Address): string {
  return `#${step}/${leaf}`;
}

/** Where an address leads, null where it leads nowhere. A step alone is its first leaf. */
export function placeAt(hash: string): Address | null {
  const [step = '', wanted] = hash.replace(/^#/, '').split('/');
  const leaves = Object.hasOwn(LEAVES, step) ? (LEAVES[step] ?? []) : [];
  const leaf = wanted === undefined ? leaves[0] : leaves.find((each) => each.name === wanted);
  return leaf ? { step: step as StepName, leaf: leaf.name } : null;
}

/** What the window is called: the leaf first, since a tab shows only a beginning. */
export function titleOf(address: Address, stepTitle: string): string {
  const leaf = LEAVES[address.step]?.find((each) => each.name === address.leaf);
  return [leaf?.title, stepTitle, 'Obsidian Wren'].filter((part) => part).join(' · ');
}
