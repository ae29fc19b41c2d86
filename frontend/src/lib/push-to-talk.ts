import { ask } from './api';
import { desk } from './state.svelte';

/** While a key is held it says so again and again: a page that goes away with the key down lets go of it. */
const AGAIN_MS = 1000;

class PushToTalk {
  #again: ReturnType<typeof setInterval> | null = null;

  get held(): boolean {
    return this.#again !== null;
  }

  begin(): void {
    if (this.held) return;
    this.#again = setInterval(() => void this.#say(true), AGAIN_MS);
    void this.#say(true);
  }

  end(): void {
    if (this.#again === null) return;
    clearInterval(this.#again);
    this.#again = null;
    void this.#say(false);
  }

  async #say(down: boolean): Promise<void> {
    try {
      await ask('run/talk', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ down }),
      });
    } catch (error) {
      desk.complain(error);
    }
  }
}

export const pushToTalk = new PushToTalk();
