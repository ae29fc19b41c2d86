import type { Purpose, StepName } from './api';
import { LEAVES, PURPOSES_OF } from './steps';

export type Theme = 'system' | 'light' | 'dark';

/** Where the person is and what they have chosen to look at. */
class Place {
  #step = $state<StepName>('rig');
  /** What has to be looked at once the step is another one. */
  onmoved: () => void = () => undefined;
  /** The listener whose mix and program are shown. */
  listener = $state<string | null>(null);
  chosenSetting = $state<string | null>(null);
  help = $state(false);
  theme = $state<Theme>('system');
  leaf = $state<Record<string, string>>({
    rig: 'outlook',
    quiet: 'rest',
    gain: 'levels',
    clean: 'gate',
    tone: 'corridor',
    steady: 'levels',
    send: 'listeners',
    prove: 'blind',
  });
  /** Where the page is. Another step shows other parts of the state. */
  get step(): StepName {
    return this.#step;
  }

  set step(step: StepName) {
    if (step === this.#step) return;
    this.#step = step;
    this.onmoved();
  }

  get leaves() {
    return LEAVES[this.step] ?? [];
  }

  get leafName(): string {
    return this.leaf[this.step] ?? '';
  }

  /** What can be taken here, the usual one first; where a step needs nothing, a sentence to hear oneself by. */
  get purposes(): Purpose[] {
    return PURPOSES_OF[`${this.step}/${this.leafName}`] ?? PURPOSES_OF[this.step] ?? ['sentence'];
  }

  setTheme(theme: Theme): void {
    this.theme = theme;
    localStorage.setItem('theme', theme);
  }
}

export const place = new Place();
