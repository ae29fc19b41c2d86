/** The live voice in headphones: raw and treated come side by side, so going from one to the other leaves no gap. */

import { t } from './words';
import { AidChain, type Aid } from './aids';

const HEADER_BYTES = 16;
const LEAD_S = 0.1;
const MOST_AHEAD_S = 0.5;
/** From raw to treated, and back: over before anybody can call it late. */
const FADE_S = 0.008;
const MATCH_S = 0.3;

export interface LivePiece {
  chainMs: number;
  rawGainDb: number;
  treatedGainDb: number;
  raw: Float32Array<ArrayBuffer>;
  treated: Float32Array<ArrayBuffer>;
}

/** Cuts the stream of bytes, however it arrives, into pieces. */
export class PieceReader {
  #held = new Uint8Array(0);

  add(bytes: Uint8Array): LivePiece[] {
    const all = new Uint8Array(this.#held.length + bytes.length);
    all.set(this.#held);
    all.set(bytes, this.#held.length);
    const found: LivePiece[] = [];
    let from = 0;
    while (all.length - from >= HEADER_BYTES) {
      const view = new DataView(all.buffer, from);
      const count = view.getUint32(0, true);
      const end = HEADER_BYTES + 8 * count;
      if (all.length - from < end) break;
      const raw = new Float32Array(count);
      const treated = new Float32Array(count);
      for (let i = 0; i < count; i++) {
        raw[i] = view.getFloat32(HEADER_BYTES + 8 * i, true);
        treated[i] = view.getFloat32(HEADER_BYTES + 8 * i + 4, true);
      }
      const [chainMs, rawGainDb, treatedGainDb] = [4, 8, 12].map((at) => view.getFloat32(at, true)) as [
        number,
        number,
        number,
      ];
      found.push({ chainMs, rawGainDb, treatedGainDb, raw, treated });
      from += end;
    }
    this.#held = all.slice(from);
    return found;
  }
}

const factor = (db: number): number => 10 ** (db / 20);

export class LiveSound {
  #context: AudioContext | null = null;
  #aids: AidChain | null = null;
  #splitter: ChannelSplitterNode | null = null;
  #chosen: { raw: GainNode; treated: GainNode } | null = null;
  #matching: { raw: GainNode; treated: GainNode } | null = null;
  #abort: AbortController | null = null;
  #next = 0;
  #behindMs: number | null = null;
  #version: 'raw' | 'treated' = 'treated';
  #matched = true;
  #aid: Aid = 'all';
  #probeHz = 1000;

  /** How late the sound reaches the ear after it reached the program, ms; null before the first of it plays. */
  get behindMs(): number | null {
    return this.#behindMs;
  }

  /** Play until it ends or is stopped. Throws the program's sentence where there is nothing live. */
  async play(url: string): Promise<void> {
    const abort = (this.#abort = new AbortController());
    try {
      const answer = await fetch(url, { signal: abort.signal });
      if (!answer.ok || !answer.body) {
        const problem = (await answer.json().catch(() => null)) as { sentence?: string } | null;
        throw new Error(problem?.sentence ?? t('The live sound could not be fetched. Try again.'));
      }
      this.#context = new AudioContext({ sampleRate: Number(answer.headers.get('X-Rate')) });
      this.#wire(this.#context);
      await this.#context.resume();
      const pieces = new PieceReader();
      const reader = answer.body.getReader();
      for (;;) {
        const { done, value } = await reader.read();
        if (done) return;
        for (const piece of pieces.add(value)) this.#schedule(this.#context, piece);
      }
    } catch (error) {
      // Who stops it, even before the first sound, is told nothing.
      if (!abort.signal.aborted) throw error;
    } finally {
      this.#aids = null;
      this.#behindMs = null;
      await this.#context?.close();
      this.#context = null;
    }
  }

  stop(): void {
    this.#abort?.abort();
    this.#abort = null;
  }

  choose(version: 'raw' | 'treated', matched: boolean): void {
    this.#version = version;
    this.#matched = matched;
    const now = this.#context?.currentTime ?? 0;
    for (const name of ['raw', 'treated'] as const) {
      const gain = this.#chosen?.[name].gain;
      gain?.cancelScheduledValues(now);
      gain?.setValueAtTime(gain.value, now);
      gain?.linearRampToValueAtTime(name === version ? 1 : 0, now + FADE_S);
      if (!matched) this.#matching?.[name].gain.setTargetAtTime(1, now, MATCH_S / 3);
    }
  }

  listen(aid: Aid, probeHz: number): void {
    this.#aid = aid;
    this.#probeHz = probeHz;
    this.#aids?.set(aid, probeHz);
  }

  #wire(context: AudioContext): void {
    const gain = (value: number) => {
      const node = context.createGain();
      node.gain.value = value;
      return node;
    };
    this.#aids = new AidChain(context, this.#aid, this.#probeHz);
    this.#splitter = context.createChannelSplitter(2);
    this.#matching = { raw: gain(1), treated: gain(1) };
    this.#chosen = { raw: gain(Number(this.#version === 'raw')), treated: gain(Number(this.#version === 'treated')) };
    for (const [index, name] of (['raw', 'treated'] as const).entries()) {
      this.#splitter.connect(this.#matching[name], index);
      this.#matching[name].connect(this.#chosen[name]).connect(this.#aids.input);
    }
    this.#next = 0;
  }

  #schedule(context: AudioContext, piece: LivePiece): void {
    const now = context.currentTime;
    if (!this.#splitter || this.#next > now + MOST_AHEAD_S) return;
    if (this.#next <= now) this.#next = now + LEAD_S;
    const buffer = context.createBuffer(2, piece.raw.length, context.sampleRate);
    buffer.copyToChannel(piece.raw, 0);
    buffer.copyToChannel(piece.treated, 1);
    const source = context.createBufferSource();
    source.buffer = buffer;
    source.connect(this.#splitter);
    source.start(this.#next);
    // The first sample of a piece has waited for its last before it was sent.
    this.#behindMs = piece.chainMs + 1000 * (this.#next - now + buffer.duration + (context.outputLatency || 0));
    this.#next += buffer.duration;
    if (!this.#matched) return;
    this.#matching?.raw.gain.setTargetAtTime(factor(piece.rawGainDb), now, MATCH_S);
    this.#matching?.treated.gain.setTargetAtTime(factor(piece.treatedGainDb), now, MATCH_S);
  }
}
