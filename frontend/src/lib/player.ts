/** Plays takes without a gap: another version comes in at the very same moment, faded over a few hundredths of a second. */

const FADE_S = 0.03;

export type Aid = 'all' | 'low' | 'middle' | 'high' | 'probe';

/** Where a voice is parted for listening, Hz: the low part ends and the high part begins here. */
export const LOW_HZ = 300;
export const HIGH_HZ = 3000;
const PROBE_Q = 6;

interface Voice {
  source: AudioBufferSourceNode;
  gain: GainNode;
}

export class Player {
  onended: (() => void) | null = null;
  #context: AudioContext | null = null;
  #voice: Voice | null = null;
  #aidIn: GainNode | null = null;
  #filters: BiquadFilterNode[] = [];
  #startedAt = 0;
  #offset = 0;
  #duration = 0;
  #aid: Aid = 'all';
  #probeHz = 1000;

  get playing(): boolean {
    return this.#voice !== null;
  }

  /** Where in the take the sound is now, seconds. */
  get position(): number {
    if (!this.#context || !this.#voice) return 0;
    return Math.min(this.#duration, this.#context.currentTime - this.#startedAt + this.#offset);
  }

  /** Play WAV bytes from a moment on; what plays now fades out as it fades in. */
  async play(bytes: ArrayBuffer, fromS: number): Promise<void> {
    const context = (this.#context ??= new AudioContext());
    const buffer = await context.decodeAudioData(bytes);
    await context.resume();
    const before = this.#voice;
    // Decoding takes a moment; what plays meanwhile has gone on, and so does what follows it.
    const at = before ? this.position : Math.min(fromS, buffer.duration);
    const gain = context.createGain();
    const source = context.createBufferSource();
    source.buffer = buffer;
    source.connect(gain).connect(this.#input(context));
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
    if (!this.#voice) return;
    this.#voice.source.onended = null;
    this.#voice.source.stop();
    this.#voice = null;
  }

  /** Hear all of it, one part alone, or a narrow band lifted around a frequency. */
  listen(aid: Aid, probeHz: number): void {
    this.#aid = aid;
    this.#probeHz = probeHz;
    if (this.#context && this.#aidIn) this.#wire(this.#context);
  }

  #input(context: AudioContext): GainNode {
    if (!this.#aidIn) {
      this.#aidIn = context.createGain();
      this.#wire(context);
    }
    return this.#aidIn;
  }

  #wire(context: AudioContext): void {
    const input = this.#aidIn;
    if (!input) return;
    const only = this.#filters[0];
    if (this.#aid === 'probe' && only && only.type === 'peaking') {
      // The probe only slides; nothing is wired anew, so nothing clicks.
      only.frequency.setTargetAtTime(this.#probeHz, context.currentTime, 0.01);
      return;
    }
    input.disconnect();
    for (const filter of this.#filters) filter.disconnect();
    this.#filters = aidFilters(this.#aid, this.#probeHz).map((wanted) => {
      const filter = context.createBiquadFilter();
      filter.type = wanted.type;
      filter.frequency.value = wanted.hz;
      filter.Q.value = wanted.q;
      filter.gain.value = wanted.gainDb;
      return filter;
    });
    let last: AudioNode = input;
    for (const filter of this.#filters) last = last.connect(filter);
    last.connect(context.destination);
  }
}

export interface AidFilter {
  type: BiquadFilterType;
  hz: number;
  q: number;
  gainDb: number;
}

/** The filters of a listening aid, steep enough that a part is heard alone. */
export function aidFilters(aid: Aid, probeHz: number): AidFilter[] {
  const pass = (type: BiquadFilterType, hz: number): AidFilter[] => [
    { type, hz, q: -5.3, gainDb: 0 },
    { type, hz, q: 2.3, gainDb: 0 },
  ];
  if (aid === 'low') return pass('lowpass', LOW_HZ);
  if (aid === 'high') return pass('highpass', HIGH_HZ);
  if (aid === 'middle') return [...pass('highpass', LOW_HZ), ...pass('lowpass', HIGH_HZ)];
  if (aid === 'probe') return [{ type: 'peaking', hz: probeHz, q: PROBE_Q, gainDb: 12 }];
  return [];
}
