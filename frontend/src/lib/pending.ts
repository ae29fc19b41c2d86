import type { ChangeSetting, Overview, Setting } from './api';

export type Change = Pick<ChangeSetting, 'pinned'> & Partial<Pick<Setting, 'value' | 'band'>>;

interface Held {
  change: Change;
  /** Whether the newest of it has still to be sent, and how many are on their way. */
  unsent: boolean;
  flying: number;
}

const keyOf = (stage: string, name: string) => `${stage}/${name}`;

/** Settings that a person moved and the program has not answered yet: shown as they will be, and marked. */
export class Pending {
  readonly #held = new Map<string, Held>();

  /** Keep a change; false where an earlier one of this setting has still to be sent, so that this one goes in its place. */
  set(stage: string, name: string, change: Change): boolean {
    const key = keyOf(stage, name);
    const before = this.#held.get(key);
    this.#held.set(key, { change, unsent: true, flying: before?.flying ?? 0 });
    return !before?.unsent;
  }

  /** What to send now. */
  send(stage: string, name: string): Change | undefined {
    const held = this.#held.get(keyOf(stage, name));
    if (!held) return undefined;
    held.unsent = false;
    held.flying += 1;
    return held.change;
  }

  /** One of what was sent was answered, or refused. */
  answered(stage: string, name: string): void {
    const key = keyOf(stage, name);
    const held = this.#held.get(key);
    if (!held) return;
    held.flying -= 1;
    if (held.flying <= 0 && !held.unsent) this.#held.delete(key);
  }

  /** The state with what is pending laid over it. */
  over(told: Overview): Overview {
    if (!this.#held.size) return told;
    const settings = told.settings.map((setting) => {
      const held = this.#held.get(keyOf(setting.stage, setting.name));
      return held ? { ...setting, ...held.change } : setting;
    });
    return { ...told, settings, working_out: true };
  }
}
