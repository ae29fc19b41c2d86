import { untrack } from 'svelte';

/** One dark button at a time: of those that ask for it, the one that is nearest to what is done now. */

/** Where a button stands, the nearest first: over everything, in what is looked at, beside it, at the foot. */
const PLACES = ['dialog', '.evidence', '.bench, main', 'footer'];

export function rankOf(button: Pick<HTMLElement, 'closest' | 'getAttribute'>): number {
  // What cannot be pressed now gives way to whatever can.
  const waits = button.getAttribute('aria-disabled') === 'true' ? PLACES.length + 1 : 0;
  const at = PLACES.findIndex((place) => button.closest(place) !== null);
  return waits + (at < 0 ? PLACES.length : at);
}

class DarkButton {
  #asking = $state.raw<HTMLElement[]>([]);
  #changed = $state(0);

  /** The one that is dark. */
  get chosen(): HTMLElement | undefined {
    void this.#changed;
    return this.#asking.reduce<HTMLElement | undefined>(
      (best, each) => (best === undefined || rankOf(each) < rankOf(best) ? each : best),
      undefined,
    );
  }

  /** A button asks for it; gives what it is let go with. */
  ask(button: HTMLElement): () => void {
    // Who asks does not follow who else does.
    untrack(() => (this.#asking = [...this.#asking, button]));
    return () => untrack(() => (this.#asking = this.#asking.filter((each) => each !== button)));
  }

  /** One of them can be pressed now, or no longer. */
  look(): void {
    untrack(() => (this.#changed += 1));
  }
}

export const dark = new DarkButton();
