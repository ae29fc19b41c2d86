import type { Purpose, TakeMore } from './api';
import { Capture } from './capture';
import { onAir } from './on-air.svelte';
import { place } from './place.svelte';
import { playback } from './playback.svelte';
import { desk } from './state.svelte';

/** Takes: which one is due, and how it is recorded. */
class Taking {
  channel = $state<number | null>(null);
  untilSteady = $state(true);
  #capture: Capture | null = null;

  constructor() {
    desk.needsStream.push(() => this.#capture !== null);
  }

  /** What the key takes: the first that is missing or stale, else the usual one. */
  get purpose(): Purpose | null {
    const takes = desk.overview?.takes ?? [];
    const wanted = place.purposes.find((purpose) => {
      const newest = takes.filter((take) => take.purpose === purpose && take.current).at(-1);
      return !newest || newest.stale;
    });
    return wanted ?? place.purposes[0] ?? null;
  }

  async take(chosen: Purpose | null = null, more: TakeMore = {}): Promise<void> {
    await desk.allDone;
    const purpose = chosen ?? this.purpose;
    if (!purpose || purpose === 'beside' || !desk.overview || desk.progress) return;
    // These need to be told a mark first; their own buttons tell it.
    if (more.position === undefined && (purpose === 'dial' || purpose === 'other-gain')) return;
    playback.stopSound();
    if (desk.overview.watch.on) await onAir.stopWatch();
    const steady = purpose === 'talk' && this.untilSteady;
    const { seconds: lengths, until_steady_s } = desk.overview;
    const seconds = steady ? until_steady_s : lengths[purpose];
    if (!seconds) return;
    const told = { ...more, until_steady: steady };
    if (desk.overview.rig.source === 'simulated' || desk.overview.rig.source === 'system') {
      await desk.do('post', '/api/takes', { body: { purpose, seconds, ...told } });
    } else if (desk.overview.rig.source === 'browser') {
      await this.#takeFromBrowser(purpose, seconds, told);
    }
  }

  async #takeFromBrowser(purpose: Purpose, seconds: number, more: TakeMore): Promise<void> {
    desk.trouble = null;
    this.#capture = new Capture(purpose, seconds, more);
    try {
      await this.#capture.run();
    } catch (error) {
      desk.complain(error);
    } finally {
      this.#capture = null;
      desk.lookAgain();
      const said = desk.trouble;
      await desk.refresh();
      if (said) desk.trouble = said;
    }
  }

  async stopTake(): Promise<void> {
    if (this.#capture) this.#capture.stop();
    else await desk.do('post', '/api/takes/stop');
  }
}

export const taking = new Taking();
