import type { Purpose, StepName } from './api';
import { addressOf, NOW, placeAt, type Address } from './address';
import type { Shown } from './parts';
import { LEAVES, PURPOSES_OF } from './steps';
import type { Theme } from './theme';

/** Where the person is and what they have chosen to look at. */
class Place {
  #step = $state<StepName>('rig');
  #guided = $state(false);
  #checking = $state(false);
  /** The newest take before a run that was begun anew; null where what stands counts. */
  runSince = $state<number | null>(null);
  /** Whether a finished calibration is shown, as it sounds. */
  finished = $state(false);
  /** What the guided run takes next. */
  due = $state<Purpose | null>(null);
  /** What has to be looked at once the step is another one. */
  onmoved: () => void = () => undefined;
  /** The listener whose mix and program are shown. */
  listener = $state<string | null>(null);
  chosenSetting = $state<string | null>(null);
  help = $state(false);
  theme = $state<Theme>('system');
  /** Whether a key alone does something (WCAG 2.1.4). */
  singleKeys = $state(true);
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
    if (step === this.#step && !this.#guided) return;
    this.#guided = false;
    this.#step = step;
    this.onmoved();
  }

  /** Whether the guided run is shown in place of a step. */
  get guided(): boolean {
    return this.#guided;
  }

  set guided(on: boolean) {
    if (on === this.#guided) return;
    this.#guided = on;
    this.#checking = false;
    this.onmoved();
  }

  /** Whether the guided run is the check of what moved since. */
  get checking(): boolean {
    return this.#guided && this.#checking;
  }

  set checking(on: boolean) {
    this.guided = true;
    this.#checking = on;
  }

  get shown(): Shown {
    return this.#guided ? 'now' : this.#step;
  }

  get leaves() {
    return LEAVES[this.step] ?? [];
  }

  get leafName(): string {
    return this.leaf[this.step] ?? '';
  }

  get here(): Address {
    return { step: this.step, leaf: this.leafName };
  }

  get address(): string {
    return this.#guided ? NOW : addressOf(this.here);
  }

  /** Take everything anew, from after a take on. It is gone on with after a reload. */
  beginRun(since: number): void {
    this.runSince = since;
    this.guided = true;
    localStorage.setItem('run-since', String(since));
  }

  endRun(): void {
    this.runSince = null;
    localStorage.removeItem('run-since');
  }

  /** Go where an address leads; false where it leads nowhere. */
  goTo(hash: string): boolean {
    if (hash === NOW) {
      this.guided = true;
      return true;
    }
    const there = placeAt(hash);
    if (!there) return false;
    this.leaf[there.step] = there.leaf;
    this.step = there.step;
    return true;
  }

  /** What can be taken here, the usual one first; where a step needs nothing, a sentence to hear oneself by. */
  get purposes(): Purpose[] {
    if (this.checking) return ['check'];
    if (this.#guided) return [this.due ?? 'check'];
    return PURPOSES_OF[`${this.step}/${this.leafName}`] ?? PURPOSES_OF[this.step] ?? ['sentence'];
  }

  useSingleKeys(on: boolean): void {
    this.singleKeys = on;
    localStorage.setItem('single-keys', on ? 'on' : 'off');
  }

  setTheme(theme: Theme): void {
    this.theme = theme;
    localStorage.setItem('theme', theme);
  }
}

export const place = new Place();
