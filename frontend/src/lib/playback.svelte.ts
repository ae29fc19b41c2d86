import { t } from './words';
import { ask, leaveOutLive, pressClip, Refusal } from './api';
import type { Aid } from './aids';
import { LiveSound } from './live-sound';
import { place } from './place.svelte';
import { Player } from './player';
import { desk } from './state.svelte';
import { Tape } from './tape';

export type Version = 'raw' | 'treated';
const TURN_MS = 5_000;

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
  /** Raw and treated in turns, until one of them is chosen. */
  inTurns = $state(false);
  #timer: ReturnType<typeof setInterval> | undefined;
  /** Raw is heard to its end, and treated after it. */
  #thenTreated = false;
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
    this.#endTurns();
    this.#hear(version);
  }

  /** Hear raw, and treated after some seconds, and so on, until one of them is chosen. */
  hearInTurns(): void {
    this.leaveIn();
    this.hear('raw');
    this.inTurns = true;
    this.#timer = setInterval(() => this.#hear(this.version === 'raw' ? 'treated' : 'raw'), TURN_MS);
  }

  #endTurns(): void {
    clearInterval(this.#timer);
    this.inTurns = false;
  }

  /** Hear the whole chain again. */
  leaveIn(): void {
    this.without = [];
  }

  /** Hear treated, without some stages: at once where that was prepared. */
  hearWithout(kinds: string[]): void {
    this.without = kinds;
    this.hear('treated');
  }

  /** Fetch raw, treated, and treated without each of several stages, so that each is heard at once. */
  async prepareAll(takeId: number, offs: string[][]): Promise<void> {
    await this.#prepare(takeId, 'treated', []);
    await this.#prepare(takeId, 'raw', []);
    for (const off of offs) await this.#prepare(takeId, 'treated', off);
  }

  #hear(version: Version): void {
    if (version === 'treated') this.#thenTreated = false;
    if (this.hearingLive) {
      this.version = version;
      this.liveSound.choose(version, this.matched);
      return;
    }
    const take = this.currentTake;
    if (!take) return;
    this.version = version;
    const url = this.#urlOf(take.id, version);
    const name = `${url} ${desk.revision}`;
    if ((this.#ofTake || this.playing === null) && this.player.goOver(name)) {
      this.#turn += 1;
      this.player.listen(this.aid, this.probeHz);
      this.playing = version;
      this.#follow();
    } else void this.#play(url, version, name);
    void this.tape.load(take.id, version, desk.revision);
    void this.#prepare(take.id, version === 'raw' ? 'treated' : 'raw');
  }

  /** Raw where treated is heard, and the other way round: at this very moment where both are there. */
  flip(): void {
    this.hear(this.version === 'raw' && desk.treatable ? 'treated' : 'raw');
  }

  get #ofTake(): boolean {
    return this.playing === 'raw' || this.playing === 'treated';
  }

  #urlOf(takeId: number, version: Version, without = this.without): string {
    const off = without.length && version === 'treated' ? `&off=${without.join(',')}` : '';
    return `/api/takes/${takeId}/sound?version=${version}&matched=${this.matched}${off}`;
  }

  /** Fetch the other version of what is heard, so that going over to it waits for nothing. */
  async #prepare(takeId: number, version: Version, without = this.without): Promise<void> {
    if (version === 'treated' && !desk.treatable) return;
    const url = this.#urlOf(takeId, version, without);
    const name = `${url} ${desk.revision}`;
    if (this.player.isPrepared(name)) return;
    try {
      await this.player.prepare(name, await (await ask(url.replace('/api/', ''))).arrayBuffer());
    } catch {
      // It is fetched again when it is asked for; then it is said why not.
    }
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

  async #play(url: string, what: string, name = ''): Promise<void> {
    if (this.hearingLive) this.liveSound.stop();
    // Raw and treated of one take go over into each other; anything else begins anew.
    if (!name || !this.#ofTake) this.player.stop();
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
      await this.player.play(bytes, 0, name);
    } catch {
      desk.complain(
        new Refusal('sound', t('This browser could not play the sound. Check its sound output and try again.')),
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
    const heard = this.playing;
    this.#endTurns();
    this.playing = null;
    this.position = null;
    if (this.#thenTreated && heard === 'raw' && desk.treatable) this.hear('treated');
    this.#thenTreated = false;
  }

  stopSound(): void {
    this.#endTurns();
    this.#turn += 1;
    if (this.hearingLive) this.liveSound.stop();
    this.player.stop();
    this.#thenTreated = false;
    this.#ended();
  }

  /** A sentence is heard raw, then treated; anything else as it was heard last. */
  togglePlay(): void {
    if (this.hearingLive) this.liveSound.stop();
    else if (this.playing) this.stopSound();
    else if (this.currentTake?.purpose === 'sentence') {
      this.#thenTreated = true;
      this.hear('raw');
    } else this.hear(this.version);
  }
}

export const playback = new Playback();
