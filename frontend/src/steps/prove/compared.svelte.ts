import { compareRigs, type Two } from '../../lib/api';
import { desk } from '../../lib/state.svelte';

/** Which two microphones are looked at: both at once, or the rig in hand against another one. */
class ComparedMicrophones {
  rigId = $state<number | null>(null);
  #rigs = $state.raw<Two | null>(null);

  get shown(): Two | null {
    return this.rigId === null ? (desk.overview?.two ?? null) : this.#rigs;
  }

  async choose(rigId: number | null): Promise<void> {
    this.rigId = rigId;
    this.#rigs = null;
    if (rigId === null) return;
    try {
      this.#rigs = await compareRigs(rigId);
    } catch (error) {
      this.rigId = null;
      desk.complain(error);
    }
  }
}

export const compared = new ComparedMicrophones();
