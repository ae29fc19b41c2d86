import { AidChain, type Aid } from './aids';

/** Plays takes without a gap: another version comes in at the very same moment, faded over a few thousandths of a second. */

const FADE_S = 0.008;
/** Raw and treated of one take, treated without each of three steps, and one of each before a change. */
const MOST_PREPARED = 7;

interface Voice {
  source: AudioBufferSourceNode;
  gain: GainNode;
}

export class Player {
  onended: (() => void) | null = null;
  #context: AudioContext | null = null;
  #voice: Voice | null = null;
  #aids: AidChain | null = null;
  #startedAt = 0;
  #offset = 0;
  #duration = 0;
  #turn = 0;
  #aid: Aid = 'all';
  #probeHz = 1000;
  readonly #prepared = new Map<string, AudioBuffer>();

  get playing(): boolean {
    return this.#voice !== null;
  }

  /** Where in the take the sound is now, seconds. */
  get position(): number {
    if (!this.#context || !this.#voice) return 0;
    return Math.min(this.#duration, this.#context.currentTime - this.#startedAt + this.#offset);
  }

  /** Decode a sound ahead, under a name, so that it can come in at once. */
  async prepare(name: string, bytes: ArrayBuffer): Promise<void> {
    const context = (this.#context ??= new AudioContext());
    this.#keep(name, await context.decodeAudioData(bytes));
  }

  isPrepared(name: string): boolean {
    return this.#prepared.has(name);
  }

  /** Play WAV bytes from a moment on, under a name; what plays now fades out as it fades in. */
  async play(bytes: ArrayBuffer, fromS: number, name = ''): Promise<void> {
    const context = (this.#context ??= new AudioContext());
    const turn = ++this.#turn;
    const buffer = await context.decodeAudioData(bytes);
    if (name) this.#keep(name, buffer);
    await context.resume();
    // Stopped meanwhile, or something newer is to be played.
    if (turn !== this.#turn) return;
    this.#begin(context, buffer, fromS);
  }

  /** Go over to what was prepared, at this very moment, or begin with it; false where it is not prepared. */
  goOver(name: string): boolean {
    const buffer = this.#prepared.get(name);
    if (!buffer || !this.#context) return false;
    this.#turn += 1;
    void this.#context.resume();
    this.#begin(this.#context, buffer, 0);
    return true;
  }

  #keep(name: string, buffer: AudioBuffer): void {
    this.#prepared.delete(name);
    this.#prepared.set(name, buffer);
    for (const old of [...this.#prepared.keys()].slice(0, -MOST_PREPARED)) this.#prepared.delete(old);
  }

  #begin(context: AudioContext, buffer: AudioBuffer, fromS: number): void {
    const before = this.#voice;
    // Decoding takes a moment; what plays meanwhile has gone on, and so does what follows it.
    const at = before ? this.position : Math.min(fromS, buffer.duration);
    const gain = context.createGain();
    const source = context.createBufferSource();
    source.buffer = buffer;
    this.#aids ??= new AidChain(context, this.#aid, this.#probeHz);
    source.connect(gain).connect(this.#aids.input);
    const now = context.currentTime;
    gain.gain.setValueAtTime(before ? 0 : 1, now);
    if (before) {
      gain.gain.linearRampToValueAtTime(1, now + FADE_S);
      before.source.onended = null;
      before.gain.gain.setValueAtTime(1, now);
      before.gain.gain.linearRampToValueAtTime(0, now + FADE_S);
      before.source.stop(now + FADE_S);
    }
    source.start(now, at);
    source.onended = () => {
      this.#voice = null;
      this.onended?.();
    };
    this.#voice = { source, gain };
    this.#startedAt = now;
    this.#offset = at;
    this.#duration = buffer.duration;
  }

  stop(): void {
    this.#turn += 1;
    if (!this.#voice) return;
    this.#voice.source.onended = null;
    this.#voice.source.stop();
    this.#voice = null;
  }

  /** Hear all of it, one part alone, or a narrow band lifted around a frequency. */
  listen(aid: Aid, probeHz: number): void {
    this.#aid = aid;
    this.#probeHz = probeHz;
    this.#aids?.set(aid, probeHz);
  }
}
