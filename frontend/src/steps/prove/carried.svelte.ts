import { compareVersions, type Compared } from '../../lib/api';
import { desk } from '../../lib/state.svelte';

/** Which version is looked at, beside what is in force now. */
class Carried {
  chosen = $state<number | null>(null);
  compared = $state.raw<Compared | null>(null);

  async choose(version: number): Promise<void> {
    this.chosen = version;
    this.compared = null;
    try {
      this.compared = await compareVersions(version, 0);
    } catch (error) {
      desk.complain(error);
    }
  }

  leave(): void {
    this.chosen = null;
    this.compared = null;
  }
}

export const carried = new Carried();
