/** Two sounds of one sentence, always in step: both run, and one of them is heard. */

const SWITCH_S = 0.008;
export type Which = 'one' | 'other';

export class PairPlayer {
  #context: AudioContext | null = null;
  #sources: AudioBufferSourceNode[] = [];
  #gains: Record<Which, GainNode> | null = null;
  #startedAt = 0;
  #duration = 0;
  #turn = 0;
  heard: Which = 'one';

  get playing(): boolean {
    return this.#sources.length > 0;
  }

  /** How far the sentence is, from 0 to 1. */
  get share(): number {
    if (!this.#context || !this.playing || !this.#duration) return 0;
    return ((this.#context.currentTime - this.#startedAt) % this.#duration) / this.#duration;
  }

  /** Start both together, over and over. */
  async play(one: ArrayBuffer, other: ArrayBuffer): Promise<void> {
    const context = (this.#context ??= new AudioContext());
    const turn = ++this.#turn;
    const buffers = await Promise.all([context.decodeAudioData(one), context.decodeAudioData(other)]);
    await context.resume();
    if (turn !== this.#turn) return;
    this.#end();
    // Far enough ahead that both begin with the same sample.
    const at = context.currentTime + 0.02;
    const gains = { one: context.createGain(), other: context.createGain() };
    (['one', 'other'] as const).forEach((which, k) => {
      const source = context.createBufferSource();
      source.buffer = buffers[k] ?? null;
      source.loop = true;
      gains[which].gain.setValueAtTime(which === this.heard ? 1 : 0, context.currentTime);
      source.connect(gains[which]).connect(context.destination);
      source.start(at);
      this.#sources.push(source);
    });
    this.#gains = gains;
    this.#startedAt = at;
    this.#duration = buffers[0]?.duration ?? 0;
  }

  /** Hear this one from now on: both ramps run over the same few milliseconds and add up to one. */
  choose(which: Which): void {
    if (which === this.heard) return;
    this.heard = which;
    if (!this.#gains || !this.#context) return;
    const now = this.#context.currentTime;
    for (const [name, node] of Object.entries(this.#gains)) {
      node.gain.cancelScheduledValues(now);
      node.gain.setValueAtTime(node.gain.value, now);
      node.gain.linearRampToValueAtTime(name === which ? 1 : 0, now + SWITCH_S);
    }
  }

  stop(): void {
    this.#turn += 1;
    this.#end();
  }

  #end(): void {
    for (const source of this.#sources) source.stop();
    this.#sources = [];
    this.#gains = null;
  }
}
