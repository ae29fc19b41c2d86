import { ask, type RunningSeries } from '../../lib/api';
import { playback } from '../../lib/playback.svelte';
import { PairPlayer, type Which } from '../../lib/pair-player';
import { desk } from '../../lib/state.svelte';

export type Answer = 'one' | 'same' | 'other';

/** Two sounds whose names nobody here knows, as they are heard: which of them sounds now. */
export class PairHearing {
  heard = $state<Which>('one');
  playing = $state(false);
  share = $state(0);
  readonly #player = new PairPlayer();
  /** Counts what is asked for: what comes too late is for nobody. */
  #asked = 0;
  readonly #address: string;

  /** They are fetched at an address, to which “one” or “other” is added. */
  constructor(address: string) {
    this.#address = address;
  }

  async play(): Promise<void> {
    playback.stopSound();
    this.playing = true;
    const asked = ++this.#asked;
    try {
      const [one, other] = await Promise.all([this.#sound('one'), this.#sound('other')]);
      if (asked !== this.#asked) return;
      await this.#player.play(one, other);
      this.#follow();
    } catch (error) {
      if (asked !== this.#asked) return;
      this.playing = false;
      desk.complain(error);
    }
  }

  async #sound(which: Which): Promise<ArrayBuffer> {
    return (await ask(`${this.#address}/${which}`)).arrayBuffer();
  }

  #follow(): void {
    const tick = () => {
      if (!this.playing) return;
      this.share = this.#player.share;
      requestAnimationFrame(tick);
    };
    tick();
  }

  hear(which: Which): void {
    this.heard = which;
    this.#player.choose(which);
    if (!this.playing) void this.play();
  }

  stop(): void {
    this.#asked += 1;
    this.playing = false;
    this.share = 0;
    this.#player.stop();
  }

  toggle(): void {
    if (this.playing) this.stop();
    else void this.play();
  }

  /** What comes next is another draw: it is fetched anew, and it begins with “one”. Whether it was heard. */
  anew(): boolean {
    const went = this.playing;
    this.stop();
    this.heard = 'one';
    this.#player.choose('one');
    return went;
  }
}

/** A blind series. */
class Blind extends PairHearing {
  constructor() {
    super('series/sound');
  }

  async answer(series: RunningSeries, answer: Answer): Promise<void> {
    if (desk.busy) return;
    const went = this.anew();
    const done = await desk.do('post', '/api/series/answer', { body: { round: series.round, answer } });
    if (done && went && desk.overview?.series) void this.play();
  }
}

export const blind = new Blind();
