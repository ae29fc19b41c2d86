import {
  act,
  getState,
  Refusal,
  type Overview,
  type Progress,
  type Purpose,
  type RigFields,
  type StepName,
} from './api';
import { Capture, LiveCapture } from './capture';

export type Theme = 'system' | 'light' | 'dark';
export type Version = 'raw' | 'treated';

const PURPOSE: Partial<Record<StepName, Purpose>> = { quiet: 'rest', gain: 'talk', tone: 'passage' };
export const TAKE_SECONDS: Record<Purpose, number> = { rest: 15, talk: 30, passage: 40 };

/** Everything that the page knows. One instance, handed down by context-free import. */
class Desk {
  overview = $state.raw<Overview | null>(null);
  step = $state<StepName>('rig');
  progress = $state.raw<Progress | null>(null);
  live = $state.raw<{ level_dbfs: number | null; peak_dbfs: number | null } | null>(null);
  trouble = $state<string | null>(null);
  busy = $state(false);
  chosenSetting = $state<string | null>(null);
  version = $state<Version>('raw');
  matched = $state(true);
  playing = $state<Version | 'call' | null>(null);
  help = $state(false);
  theme = $state<Theme>('system');
  channel = $state<number | null>(null);

  #queue: Promise<unknown> = Promise.resolve();
  #audio = new Audio();
  #capture: Capture | null = null;
  #liveCapture: LiveCapture | null = null;
  #events: EventSource | null = null;

  constructor() {
    this.#audio.addEventListener('ended', () => (this.playing = null));
  }

  get purpose(): Purpose | null {
    return PURPOSE[this.step] ?? null;
  }

  get currentTake() {
    const purpose = this.purpose ?? 'talk';
    return this.overview?.takes.filter((take) => take.purpose === purpose && !take.fault).at(-1) ?? null;
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
    this.#events = new EventSource('/api/events');
    // After a restart of the program the stream opens again by itself; what is shown may then be old.
    this.#events.addEventListener('open', () => void this.refresh());
    this.#events.addEventListener('changed', () => void this.refresh());
    this.#events.addEventListener('progress', (event) => (this.progress = JSON.parse(event.data)));
    this.#events.addEventListener('live', (event) => (this.live = JSON.parse(event.data)));
    this.#events.addEventListener('trouble', (event) => (this.trouble = JSON.parse(event.data).sentence));
  }

  async refresh(): Promise<void> {
    try {
      this.#show(await getState());
    } catch (error) {
      this.#complain(error);
    }
  }

  #show(overview: Overview): void {
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
  editRig(change: Partial<RigFields>): void {
    void this.attempt(() => act('PUT', 'rig', { ...this.overview?.rig, ...change }));
  }

  async take(): Promise<void> {
    await this.#queue;
    const purpose = this.purpose;
    if (!purpose || !this.overview || this.progress) return;
    this.stopSound();
    if (this.overview.rig.source === 'simulated') {
      await this.do('POST', 'takes', { purpose, seconds: TAKE_SECONDS[purpose] });
    } else if (this.overview.rig.source === 'browser') {
      await this.#takeFromBrowser(purpose);
    }
  }

  async #takeFromBrowser(purpose: Purpose): Promise<void> {
    this.trouble = null;
    this.#capture = new Capture(purpose, TAKE_SECONDS[purpose]);
    try {
      await this.#capture.run();
    } catch (error) {
      this.#complain(error);
    } finally {
      this.#capture = null;
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
    this.#liveCapture = new LiveCapture();
    try {
      await this.#liveCapture.start(
        (rateHz) => this.do('POST', 'run/start', { rate_hz: Math.round(rateHz) }),
        (sentence) => {
          void this.stopLive();
          if (sentence) this.trouble = sentence;
        },
      );
    } catch (error) {
      this.#complain(error);
    }
  }

  async stopLive(): Promise<void> {
    await this.#liveCapture?.stop();
    this.#liveCapture = null;
    if (this.overview?.run.live) await this.do('POST', 'run/stop');
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

  hear(version: Version): void {
    const take = this.currentTake;
    if (!take) return;
    this.version = version;
    this.#play(`/api/takes/${take.id}/sound?version=${version}&matched=${this.matched}`, version);
  }

  hearCall(): void {
    this.#play(`/api/call/sound?at=${Date.now()}`, 'call');
  }

  async #play(url: string, what: Version | 'call'): Promise<void> {
    const from = this.playing && this.playing !== 'call' && what !== 'call' ? this.#audio.currentTime : 0;
    this.trouble = null;
    const answer = await fetch(url).catch(() => null);
    if (!answer?.ok) {
      const problem = (await answer?.json().catch(() => null)) as { sentence?: string } | null;
      this.#complain(new Refusal('sound', problem?.sentence ?? 'The sound could not be fetched. Try again.'));
      return;
    }
    URL.revokeObjectURL(this.#audio.src);
    this.#audio.src = URL.createObjectURL(await answer.blob());
    this.#audio.currentTime = from;
    this.playing = what;
    await this.#audio.play().catch(() => (this.playing = null));
  }

  stopSound(): void {
    this.#audio.pause();
    this.playing = null;
  }

  togglePlay(): void {
    if (this.playing) this.stopSound();
    else this.hear(this.version);
  }

  setTheme(theme: Theme): void {
    this.theme = theme;
    localStorage.setItem('theme', theme);
  }
}

export const desk = new Desk();
