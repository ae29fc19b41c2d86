import { ask, leaveOutLive, pressClip, Refusal } from './api';
import type { Aid } from './aids';
import { LiveSound } from './live-sound';
import { place } from './place.svelte';
import { Player } from './player';
import { desk } from './state.svelte';
import { Tape } from './tape';

export type Version = 'raw' | 'treated';

/** What the person hears: takes, recordings and listeners' sound, and what is left out of it. */
class Playback {
  version = $state<Version>('raw');
  matched = $state(true);
  /** Raw or treated take, or another sound by its name, such as what a listener heard. */
  playing = $state<string | null>(null);
  readonly player = new Player();
  readonly tape = new Tape();
  /** The live voice in headphones. */
  readonly liveSound = new LiveSound();
  hearingLive = $state(false);
  behindMs = $state<number | null>(null);
  /** Stages left out for once while listening. */
  without = $state<string[]>([]);
  /** Where the sound that plays is, seconds; null when nothing plays. */
  position = $state<number | null>(null);
  aid = $state<Aid>('all');
  probeHz = $state(1000);
  heardTake = $state<number | null>(null);
  /** Counts what is asked to be heard, so that what comes late is not. */
  #turn = 0;

  constructor() {
    this.player.onended = () => this.#ended();
    desk.needsStream.push(() => this.hearingLive);
  }

  /** The take that is heard: the one chosen, else the newest of this step, else normal talk or the passage. */
  get currentTake() {
    const usable = desk.overview?.takes.filter((take) => !take.fault) ?? [];
    const chosen = usable.find((take) => take.id === this.heardTake);
    if (chosen) return chosen;
    const own = usable.filter((take) => take.purpose === (place.purposes[0] ?? 'talk')).at(-1);
    if (own && place.step !== 'clean') return own;
    return usable.filter((take) => take.purpose === 'talk' || take.purpose === 'passage').at(-1) ?? own ?? null;
  }

  hear(version: Version): void {
    if (this.hearingLive) {
      this.version = version;
      this.liveSound.choose(version, this.matched);
      return;
    }
    const take = this.currentTake;
    if (!take) return;
    this.version = version;
    const off = this.without.length ? `&off=${this.without.join(',')}` : '';
    void this.#play(`/api/takes/${take.id}/sound?version=${version}&matched=${this.matched}${off}`, version);
    void this.tape.load(take.id, version, desk.revision);
  }

  /** What plays goes on with what the chain is now. */
  hearAgain(): void {
    if (this.playing === 'raw' || this.playing === 'treated') this.hear(this.playing);
  }

  /** Leave a stage out while listening, or let it in again, without a gap. */
  leaveOut(kind: string): void {
    this.without = this.without.includes(kind)
      ? this.without.filter((other) => other !== kind)
      : [...this.without, kind];
    if (this.hearingLive) void this.#leaveOutLive();
    if (desk.treatable) this.hear('treated');
  }

  async #leaveOutLive(): Promise<void> {
    try {
      await leaveOutLive(this.without);
    } catch (error) {
      desk.complain(error);
    }
  }

  /** Hear only what a stage takes out of the take. */
  hearTaken(key: string): void {
    const take = this.currentTake;
    if (take) void this.#play(`/api/takes/${take.id}/sound?taken=${key}&matched=${this.matched}`, `taken/${key}`);
  }

  /** Compare at one loudness, or as loud as each is. */
  setMatched(matched: boolean): void {
    this.matched = matched;
    if (this.hearingLive) this.liveSound.choose(this.version, matched);
    else this.hearAgain();
  }

  listen(aid: Aid, probeHz = this.probeHz): void {
    this.aid = aid;
    this.probeHz = Math.min(16000, Math.max(50, probeHz));
    this.player.listen(this.aid, this.probeHz);
    this.liveSound.listen(this.aid, this.probeHz);
  }

  /** The last ten seconds of a listener: heard behind its own processing, sent to it, or come back from it. */
  hearListener(key: string, what: 'heard' | 'sent' | 'returned'): void {
    void this.#play(`/api/destinations/${key}/sound?what=${what}&at=${Date.now()}`, `${key}/${what}`);
  }

  hearRecording(id: number): void {
    void this.#play(`/api/recordings/${id}/sound`, `recording/${id}`);
  }

  hearClip(id: number): void {
    void this.#play(`/api/clips/${id}/sound?at=${Date.now()}`, `clip/${id}`);
  }

  /** Play a clip to every listener that gets clips. */
  async pressClip(id: number): Promise<void> {
    try {
      await pressClip(id);
    } catch (error) {
      desk.complain(error);
    }
  }

  async #play(url: string, what: string): Promise<void> {
    if (this.hearingLive) this.liveSound.stop();
    // Raw and treated of one take go over into each other; anything else begins anew.
    const ofTake = (name: string | null) => name === 'raw' || name === 'treated';
    if (!ofTake(what) || !ofTake(this.playing)) this.player.stop();
    desk.trouble = null;
    const turn = ++this.#turn;
    let answer: Response;
    try {
      answer = await ask(url.replace('/api/', ''));
    } catch (error) {
      if (turn === this.#turn) desk.complain(error);
      return;
    }
    if (turn !== this.#turn) return;
    this.player.listen(this.aid, this.probeHz);
    try {
      const bytes = await answer.arrayBuffer();
      if (turn !== this.#turn) return;
      await this.player.play(bytes, 0);
    } catch {
      desk.complain(
        new Refusal('sound', 'This browser could not play the sound. Check its sound output and try again.'),
      );
      return;
    }
    if (turn !== this.#turn) return;
    this.playing = what;
    this.#follow();
  }

  #follow(): void {
    if (this.position !== null) return;
    const tick = () => {
      if (!this.player.playing) return;
      this.position = this.player.position;
      requestAnimationFrame(tick);
    };
    tick();
  }

  #ended(): void {
    this.playing = null;
    this.position = null;
  }

  stopSound(): void {
    this.#turn += 1;
    if (this.hearingLive) this.liveSound.stop();
    this.player.stop();
    this.#ended();
  }

  togglePlay(): void {
    if (this.hearingLive) this.liveSound.stop();
    else if (this.playing) this.stopSound();
    else this.hear(this.version);
  }
}

export const playback = new Playback();
