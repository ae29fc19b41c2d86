import {
  act,
  ask,
  getState,
  leaveOutLive,
  Refusal,
  pressClip,
  sendLive,
  sendWatch,
  type KeptKind,
  type Overview,
  type Progress,
  type Purpose,
  type RigFields,
  type StepName,
  type TakeMore,
} from './api';
import { Capture, LiveCapture } from './capture';
import { listen } from './connection';
import { FrameStore } from './frames';
import type { Aid } from './aids';
import { LiveSound } from './live-sound';
import { Player } from './player';
import { LEAVES, PURPOSES_OF, TAKE_SECONDS, UNTIL_STEADY_S } from './steps';
import { Tape } from './tape';

/** What is said when nobody takes a piece of the live microphone: the program is away, or came back and runs nothing yet. */
const GONE = ['lost', 'not-live'];

export type Theme = 'system' | 'light' | 'dark';
export type Version = 'raw' | 'treated';

/** What is told five times a second while live: levels, load, how far sources are ducked, the level to each listener, and where its limiter acts. */
export interface LiveNews {
  level_dbfs: number | null;
  peak_dbfs: number | null;
  load?: number;
  duck?: number;
  to?: Record<string, number | null>;
  limited?: Record<string, number>;
  recorded_s?: number;
}

/** Everything that the page knows. One instance, handed down by context-free import. */
class Desk {
  overview = $state.raw<Overview | null>(null);
  step = $state<StepName>('rig');
  progress = $state.raw<Progress | null>(null);
  live = $state.raw<LiveNews | null>(null);
  /** The listener whose mix and program are shown. */
  listener = $state<string | null>(null);
  trouble = $state<string | null>(null);
  busy = $state(false);
  chosenSetting = $state<string | null>(null);
  version = $state<Version>('raw');
  matched = $state(true);
  /** Raw or treated take, or another sound by its name, such as what a listener heard. */
  playing = $state<string | null>(null);
  help = $state(false);
  theme = $state<Theme>('system');
  channel = $state<number | null>(null);
  leaf = $state<Record<string, string>>({
    rig: 'outlook',
    quiet: 'rest',
    gain: 'levels',
    clean: 'gate',
    tone: 'corridor',
    steady: 'levels',
    send: 'listeners',
  });
  untilSteady = $state(true);
  readonly frames = new FrameStore();

  #queue: Promise<unknown> = Promise.resolve();
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
  #capture: Capture | null = null;
  #liveCapture: LiveCapture | null = null;
  /** The program went away while this page's microphone was live: it goes live again with the program. */
  #goesOn = false;
  #watchCapture: LiveCapture | null = null;
  /** Since when the program has not been heard, ms since 1970; null while there is a connection. */
  lostSince = $state<number | null>(null);
  /** The stream is let go while nobody looks, unless this page's own sound needs it. */
  #lookAgain: () => void = () => undefined;
  /** The newest change that was told, and whether it is being fetched. */
  #newest = 0;
  #catching = false;

  constructor() {
    this.player.onended = () => this.#ended();
  }

  get leaves() {
    return LEAVES[this.step] ?? [];
  }

  get leafName(): string {
    return this.leaf[this.step] ?? '';
  }

  /** What can be taken here, the usual one first. */
  get purposes(): Purpose[] {
    return PURPOSES_OF[`${this.step}/${this.leafName}`] ?? PURPOSES_OF[this.step] ?? [];
  }

  /** What the key takes: the first that is missing or stale, else the usual one. */
  get purpose(): Purpose | null {
    const takes = this.overview?.takes ?? [];
    const wanted = this.purposes.find((purpose) => {
      const newest = takes.filter((take) => take.purpose === purpose && take.current).at(-1);
      return !newest || newest.stale;
    });
    return wanted ?? this.purposes[0] ?? null;
  }

  /** The take that is heard: the one chosen, else the newest of this step, else normal talk or the passage. */
  get currentTake() {
    const usable = this.overview?.takes.filter((take) => !take.fault) ?? [];
    const chosen = usable.find((take) => take.id === this.heardTake);
    if (chosen) return chosen;
    const own = usable.filter((take) => take.purpose === (this.purposes[0] ?? 'talk')).at(-1);
    if (own && this.step !== 'clean') return own;
    return usable.filter((take) => take.purpose === 'talk' || take.purpose === 'passage').at(-1) ?? own ?? null;
  }

  /** Changes whenever the chain does: what was fetched of it before is old then. */
  get revision(): string {
    const stages = this.overview?.stages.map((stage) => `${stage.kind}${stage.on ? '+' : '-'}`) ?? [];
    const values = this.overview?.settings.map((setting) => setting.value ?? JSON.stringify(setting.band)) ?? [];
    return [...stages, ...values].join(' ');
  }

  get treatable(): boolean {
    return this.overview?.delivery !== null && this.overview?.delivery !== undefined;
  }

  async open(): Promise<void> {
    await this.refresh();
    if (this.overview) {
      const open = this.overview.steps.find((step) => step.status !== 'settled' && step.status !== 'not yet');
      this.step = open?.name ?? this.overview.steps.find((step) => step.status === 'not yet')?.name ?? 'send';
    }
    this.#lookAgain = listen(
      {
        onEvent: (kind, data) => this.#hear(kind, data),
        onState: (state) => (this.lostSince = state === 'open' ? null : (this.lostSince ?? Date.now())),
      },
      () => this.#liveCapture !== null || this.#watchCapture !== null || this.#capture !== null || this.hearingLive,
    );
  }

  #hear(kind: string, data: string): void {
    const said = JSON.parse(data);
    // After a restart of the program the stream opens again by itself; what is shown may then be old.
    if (kind === 'hello') void this.#meet(said.revision);
    else if (kind === 'changed') void this.#catchUp(said.revision);
    else if (kind === 'progress') this.progress = said;
    else if (kind === 'frame') this.frames.add(said, performance.now());
    else if (kind === 'live') this.live = said;
    else if (kind === 'trouble') this.trouble = said.sentence;
  }

  /** A program that was started anew may count from elsewhere, as after its clock was set. */
  async #meet(revision: number): Promise<void> {
    if (this.overview?.revision !== revision) {
      this.#newest = 0;
      if (this.overview) this.overview.revision = 0;
      await this.refresh();
    }
    const run = this.overview?.run;
    if (!this.#goesOn || !run) return;
    this.#goesOn = false;
    if (run.wanted && !run.live) await this.goLive();
  }

  /** Most changes are answers to what was asked here, and what they changed came with the answer. */
  async #catchUp(revision: number): Promise<void> {
    this.#newest = Math.max(this.#newest, revision);
    if (this.#catching) return;
    this.#catching = true;
    let asked = 0;
    do {
      await this.#queue;
      if ((this.overview?.revision ?? 0) >= this.#newest) break;
      asked = this.#newest;
      await this.refresh();
      // What could not be fetched waits for the next change.
    } while (this.#newest > asked);
    this.#catching = false;
  }

  async refresh(): Promise<void> {
    try {
      this.#show(await getState());
    } catch (error) {
      this.#complain(error);
    }
  }

  #show(overview: Overview): void {
    if (this.overview && overview.revision < this.overview.revision) return;
    this.overview = overview;
    this.progress = overview.progress;
    if (!overview.run.live) this.live = null;
    if (overview.message && this.trouble === null) this.trouble = overview.message;
  }

  #complain(error: unknown): void {
    this.trouble = error instanceof Error ? error.message : String(error);
  }

  /** Do one thing and show what came of it; a refusal becomes a sentence on the page. */
  async do(method: 'POST' | 'PUT' | 'PATCH' | 'DELETE', path: string, body?: object): Promise<boolean> {
    return this.attempt(() => act(method, path, body));
  }

  /** One after another: what a person does second happens second, and no late answer shows an older state. */
  attempt(what: () => Promise<Overview>): Promise<boolean> {
    const mine = this.#queue.then(() => this.#attempt(what));
    this.#queue = mine;
    return mine;
  }

  async #attempt(what: () => Promise<Overview>): Promise<boolean> {
    this.busy = true;
    this.trouble = null;
    try {
      this.#show(await what());
      return true;
    } catch (error) {
      this.#complain(error);
      return false;
    } finally {
      this.busy = false;
    }
  }

  /** Change the rig, on top of whatever was changed before. */
  changeRig(change: Partial<RigFields>): Promise<boolean> {
    return this.attempt(() => act('PUT', 'rig', { ...this.overview?.rig, ...change }));
  }

  editRig(change: Partial<RigFields>): void {
    void this.changeRig(change);
  }

  /** Change a kept thing, on top of whatever was changed before. */
  keepThing(kind: KeptKind, thing: { id: number }, change: object): void {
    void this.attempt(() => {
      const kept = this.overview?.[`${kind}s`].find((entry) => entry.id === thing.id);
      return act('PUT', `${kind}s/${thing.id}`, { ...kept, ...change });
    });
  }

  async take(chosen: Purpose | null = null, more: TakeMore = {}): Promise<void> {
    await this.#queue;
    const purpose = chosen ?? this.purpose;
    if (!purpose || !this.overview || this.progress) return;
    // These need to be told a mark first; their own buttons tell it.
    if (more.position === undefined && (purpose === 'dial' || purpose === 'other-gain')) return;
    this.stopSound();
    if (this.overview.watch.on) await this.stopWatch();
    const steady = purpose === 'talk' && this.untilSteady;
    const seconds = steady ? UNTIL_STEADY_S : TAKE_SECONDS[purpose];
    const told = { ...more, until_steady: steady };
    if (this.overview.rig.source === 'simulated') {
      await this.do('POST', 'takes', { purpose, seconds, ...told });
    } else if (this.overview.rig.source === 'browser') {
      await this.#takeFromBrowser(purpose, seconds, told);
    }
  }

  async #takeFromBrowser(purpose: Purpose, seconds: number, more: TakeMore): Promise<void> {
    this.trouble = null;
    this.#capture = new Capture(purpose, seconds, more);
    try {
      await this.#capture.run();
    } catch (error) {
      this.#complain(error);
    } finally {
      this.#capture = null;
      this.#lookAgain();
      const said = this.trouble;
      await this.refresh();
      if (said) this.trouble = said;
    }
  }

  async goLive(): Promise<void> {
    if (this.overview?.rig.source !== 'browser') {
      await this.do('POST', 'run/start', {});
      return;
    }
    this.#liveCapture = new LiveCapture(sendLive);
    try {
      await this.#liveCapture.start(
        (rateHz) => this.do('POST', 'run/start', { rate_hz: Math.round(rateHz) }),
        (sentence, why) => {
          this.#goesOn = why instanceof Refusal && GONE.includes(why.code);
          void (this.#goesOn ? this.#closeLive() : this.stopLive());
          if (sentence) this.trouble = sentence;
        },
      );
    } catch (error) {
      this.#complain(error);
    }
  }

  async #closeLive(): Promise<void> {
    await this.#liveCapture?.stop();
    this.#liveCapture = null;
    this.#lookAgain();
  }

  async stopLive(): Promise<void> {
    this.#goesOn = false;
    await this.#closeLive();
    if (this.overview?.run.live) await this.do('POST', 'run/stop');
  }

  /** Listen in: what the microphone hears, twenty times a second. */
  async watch(purpose: 'rest' | 'talk'): Promise<void> {
    this.frames.clear();
    if (this.overview?.rig.source !== 'browser') {
      await this.do('POST', 'watch', { purpose });
      return;
    }
    this.#watchCapture = new LiveCapture(sendWatch);
    try {
      await this.#watchCapture.start(
        (rateHz) => this.do('POST', 'watch', { purpose, rate_hz: Math.round(rateHz) }),
        (sentence) => {
          void this.stopWatch();
          if (sentence) this.trouble = sentence;
        },
      );
    } catch (error) {
      this.#complain(error);
    }
  }

  async stopWatch(): Promise<void> {
    await this.#watchCapture?.stop();
    this.#watchCapture = null;
    this.#lookAgain();
    await this.do('POST', 'watch/stop');
  }

  /** Turn a gain control to a position in its own unit. */
  turn(control: string, position: number): Promise<boolean> {
    return this.do('POST', 'controls', { control, position });
  }

  /** Turn a control by so much from wherever it stands when its turn comes: quick presses add up. */
  nudge(key: string, by: number): Promise<boolean> {
    return this.attempt(() => {
      const control = this.overview?.controls.find((entry) => entry.key === key);
      const wanted = (control?.position ?? 0) + by;
      const position = Math.min(control?.high ?? 100, Math.max(control?.low ?? -100, Math.round(wanted * 100) / 100));
      return act('POST', 'controls', { control: key, position });
    });
  }

  async stopTake(): Promise<void> {
    if (this.#capture) this.#capture.stop();
    else await this.do('POST', 'takes/stop');
  }

  async settle(step: StepName): Promise<void> {
    const done = await this.do('POST', 'settle', { step });
    // Someone who has gone elsewhere meanwhile is left there.
    if (!done || !this.overview || this.step !== step) return;
    const names = this.overview.steps.map((entry) => entry.name);
    this.step = names[Math.min(names.indexOf(step) + 1, names.length - 1)] ?? step;
  }

  /** Hear what the microphone hears now, treated or raw; listens in first where nothing is live. */
  async hearLive(): Promise<void> {
    if (this.hearingLive) return this.liveSound.stop();
    this.stopSound();
    this.trouble = null;
    const mine = !this.overview?.run.live && !this.overview?.watch.on;
    // Said at once, so that a second press takes the headphones off again.
    this.hearingLive = true;
    if (mine) await this.watch('talk');
    if (!this.overview?.run.live && !this.overview?.watch.on) {
      this.hearingLive = false;
      return;
    }
    if (!this.treatable) this.version = 'raw';
    this.liveSound.listen(this.aid, this.probeHz);
    this.liveSound.choose(this.version, this.matched);
    const told = setInterval(() => (this.behindMs = this.liveSound.behindMs), 500);
    try {
      await this.liveSound.play(`/api/live/sound?off=${this.without.join(',')}`);
    } catch (error) {
      this.#complain(error);
    } finally {
      clearInterval(told);
      this.hearingLive = false;
      this.behindMs = null;
      if (mine && this.overview?.watch.on) await this.stopWatch();
    }
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
    void this.tape.load(take.id, version, this.revision);
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
    if (this.treatable) this.hear('treated');
  }

  async #leaveOutLive(): Promise<void> {
    try {
      await leaveOutLive(this.without);
    } catch (error) {
      this.#complain(error);
    }
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
      this.#complain(error);
    }
  }

  async #play(url: string, what: string): Promise<void> {
    if (this.hearingLive) this.liveSound.stop();
    // Raw and treated of one take go over into each other; anything else begins anew.
    const ofTake = (name: string | null) => name === 'raw' || name === 'treated';
    if (!ofTake(what) || !ofTake(this.playing)) this.player.stop();
    this.trouble = null;
    const turn = ++this.#turn;
    let answer: Response;
    try {
      answer = await ask(url.replace('/api/', ''));
    } catch (error) {
      if (turn === this.#turn) this.#complain(error);
      return;
    }
    if (turn !== this.#turn) return;
    this.player.listen(this.aid, this.probeHz);
    try {
      const bytes = await answer.arrayBuffer();
      if (turn !== this.#turn) return;
      await this.player.play(bytes, 0);
    } catch {
      this.#complain(
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

  setTheme(theme: Theme): void {
    this.theme = theme;
    localStorage.setItem('theme', theme);
  }
}

export const desk = new Desk();
