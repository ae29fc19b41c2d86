/** Listening aids: one part of the voice alone, or a narrow band lifted. */

export type Aid = 'all' | 'low' | 'middle' | 'high' | 'probe';

/** Where a voice is parted for listening, Hz: the low part ends and the high part begins here. */
export const LOW_HZ = 300;
export const HIGH_HZ = 3000;
const PROBE_Q = 6;

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

/** The aids between what plays and the loudspeaker. */
export class AidChain {
  readonly input: GainNode;
  #filters: BiquadFilterNode[] = [];
  #aid: Aid | null = null;

  constructor(
    private readonly context: AudioContext,
    aid: Aid,
    probeHz: number,
  ) {
    this.input = context.createGain();
    this.set(aid, probeHz);
  }

  set(aid: Aid, probeHz: number): void {
    const probe = this.#filters[0];
    if (aid === this.#aid) {
      // The probe only slides; nothing is wired anew, so nothing clicks.
      if (aid === 'probe') probe?.frequency.setTargetAtTime(probeHz, this.context.currentTime, 0.01);
      return;
    }
    this.#aid = aid;
    this.input.disconnect();
    for (const filter of this.#filters) filter.disconnect();
    this.#filters = aidFilters(aid, probeHz).map((wanted) => {
      const filter = this.context.createBiquadFilter();
      filter.type = wanted.type;
      filter.frequency.value = wanted.hz;
      filter.Q.value = wanted.q;
      filter.gain.value = wanted.gainDb;
      return filter;
    });
    let last: AudioNode = this.input;
    for (const filter of this.#filters) last = last.connect(filter);
    last.connect(this.context.destination);
  }
}
