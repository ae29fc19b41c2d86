import {
  type Mix,
  type Act,
  act,
  getState,
  parts,
  type Control,
  type Interface,
  type KeptKind,
  type Microphone,
  type Room,
  type Overview,
  type Progress,
  type RigFields,
  type StepName,
} from './api';
import { headersFor, merged, missed, shownAt } from './parts';
import type { Answer } from './api';
import { listen } from './connection';
import { FIELDS, only } from './fields';
import { Pending } from './pending';
import { FrameStore } from './frames';
import { SPOKEN } from './language';
import { notifications } from './notify.svelte';
import { t } from './words';
import { place } from './place.svelte';
import { nudged } from '../parts/setting';

/** What is told five times a second while live: levels, load, how far sources are ducked, the level to each listener, and where its limiter acts. */
export interface LiveNews {
  level_dbfs: number | null;
  peak_dbfs: number | null;
  load?: number;
  load_mark?: 'good' | 'fault';
  duck?: number;
  to?: Record<string, number | null>;
  limited?: Record<string, number>;
  /** How far the room of now stands over the profile of noise reduction. */
  room_moved_db?: number | null;
  /** How far each of two people is lowered, since only the other one talks. */
  lowered_db?: [number, number] | null;
  recorded_s?: number;
}

/** Longer than this, and a person wonders. */
const SLOW_MS = 150;

/** One of the things that are kept, as it is now. */
function kept<Thing extends { id: number }>(things: Thing[], id: number): Thing {
  const thing = things.find((entry) => entry.id === id);
  if (!thing) throw new Error(t('This is no longer stored. Choose another.'));
  return thing;
}

/** What the program says of itself, and what it is asked to do. */
class Desk {
  /** What the program told, with what it has not answered yet laid over it. */
  overview = $state.raw<Overview | null>(null);
  #told = $state.raw<Overview | null>(null);
  readonly #pending = new Pending();
  /** At which revision each part was read last. */
  #read: Record<string, number> = {};
  progress = $state.raw<Progress | null>(null);
  live = $state.raw<LiveNews | null>(null);
  /** Which share of what somebody waits for is worked out; null where nobody waits. */
  working = $state<number | null>(null);
  trouble = $state<string | null>(null);
  busy = $state(false);
  /** Whether what was asked takes so long that it has to be said. */
  slow = $state(false);
  readonly frames = new FrameStore();

  #queue: Promise<unknown> = Promise.resolve();
  /** Since when the program has not been heard, ms since 1970; null while there is a connection. */
  lostSince = $state<number | null>(null);
  /** The stream is let go while nobody looks, unless this page's own sound needs it. */
  lookAgain: () => void = () => undefined;
  readonly needsStream: (() => boolean)[] = [];
  /** What has to be done once the program is met, at first or again. */
  onmet: () => Promise<void> = () => Promise.resolve();
  /** The newest change that was told, and whether it is being fetched. */
  #newest = 0;
  #catching = false;

  constructor() {
    parts.headers = () => headersFor(place.shown, this.overview);
    place.onmoved = () => this.#fill();
  }

  /** Fetch what this step shows beyond what was read with the newest state. */
  #fill(): void {
    // What is being worked out is told when it is there.
    if (this.#told?.working_out) return;
    const newest = this.overview?.revision ?? 0;
    if (shownAt(place.shown).some((part) => (this.#read[part] ?? newest) < newest)) void this.refresh();
  }

  /** Changes whenever the chain does: what was fetched of it before is old then. */
  get revision(): string {
    const stages = this.#told?.stages.map((stage) => `${stage.key}${stage.on ? '+' : '-'}`) ?? [];
    const values = this.#told?.settings.map((setting) => setting.value ?? JSON.stringify(setting.band)) ?? [];
    return [...stages, ...values].join(' ');
  }

  get treatable(): boolean {
    return this.overview?.delivery !== null && this.overview?.delivery !== undefined;
  }

  /** Meet the program. Whoever comes to an address stays there; anybody else is led to the guided run, or to what came of it. */
  async open(stay = false): Promise<void> {
    await this.refresh();
    if (this.overview && !stay) place.guided = true;
    this.lookAgain = listen(
      {
        onEvent: (kind, data) => this.#hear(kind, data),
        onState: (state) => (this.lostSince = state === 'open' ? null : (this.lostSince ?? Date.now())),
      },
      () => this.needsStream.some((needs) => needs()),
    );
  }

  #hear(kind: string, data: string): void {
    const said = JSON.parse(data);
    // After a restart of the program the stream opens again by itself; what is shown may then be old.
    if (kind === 'hello') this.#greet(said);
    else if (kind === 'changed') void this.#catchUp(said.revision);
    else if (kind === 'progress') this.progress = said;
    else if (kind === 'frame') this.frames.add(said, performance.now());
    else if (kind === 'live') this.live = said;
    else if (kind === 'working') this.working = said.share;
    else if (kind === 'trouble') this.trouble = said.sentence;
    else if (kind === 'noticed') notifications.tell(said.sentence, said.action);
  }

  /** The program that answers may speak another language by now, and its page with it. */
  #greet(said: { revision: number; language?: string }): void {
    if (said.language && said.language !== SPOKEN) location.reload();
    else void this.#meet(said.revision);
  }

  /** A program that was started anew may count from elsewhere, as after its clock was set. */
  async #meet(revision: number): Promise<void> {
    if (this.overview?.revision !== revision) {
      this.#newest = 0;
      this.#read = {};
      if (this.#told) this.#told.revision = 0;
      await this.refresh();
    }
    await this.onmet();
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
      this.complain(error);
    }
  }

  #show(answer: Answer): void {
    // What was asked for before the person went on to this step may lack what it shows.
    if (this.#told && answer.revision < this.#told.revision) return this.#fill();
    const gone = missed(this.#told, answer);
    const overview = merged(this.#told, answer);
    for (const name of gone) delete overview.have[name];
    for (const name of Object.keys(answer.have ?? {})) this.#read[name] = answer.revision;
    this.#told = overview;
    this.#lay();
    if (gone.length) void this.refresh();
    else this.#fill();
    this.progress = overview.progress;
    if (!overview.run.live) this.live = null;
    if (overview.message && this.trouble === null) this.trouble = overview.message;
  }

  #lay(): void {
    this.overview = this.#told && this.#pending.over(this.#told);
  }

  /** Say what went wrong. */
  complain(error: unknown): void {
    this.trouble = error instanceof Error ? error.message : String(error);
  }

  /** Do one thing and show what came of it; a refusal becomes a sentence on the page. */
  do = ((...asked: Parameters<typeof act>) => this.attempt(() => act(...asked))) as Act<boolean>;

  /** Do something that lasts for seconds, without holding up what is pressed meanwhile. */
  async beside(what: () => Promise<Answer>): Promise<void> {
    this.trouble = null;
    try {
      this.#show(await what());
    } catch (error) {
      this.complain(error);
    }
  }

  /** End what is being worked out, without waiting for its turn; what stood stands on. */
  endWork(): void {
    void act('post', '/api/derive/end').catch((error: unknown) => this.complain(error));
  }

  /** When everything that was asked so far is done. */
  get allDone(): Promise<unknown> {
    return this.#queue;
  }

  /** One after another: what a person does second happens second, and no late answer shows an older state. */
  attempt(what: () => Promise<Answer>): Promise<boolean> {
    const mine = this.#queue.then(() => this.#attempt(what));
    this.#queue = mine;
    return mine;
  }

  async #attempt(what: () => Promise<Answer>): Promise<boolean> {
    this.busy = true;
    this.trouble = null;
    const soon = setTimeout(() => (this.slow = true), SLOW_MS);
    try {
      this.#show(await what());
      return true;
    } catch (error) {
      this.complain(error);
      return false;
    } finally {
      clearTimeout(soon);
      this.busy = this.slow = false;
    }
  }

  /** Change the rig, on top of whatever was changed before. */
  changeRig(change: Partial<RigFields>): Promise<boolean> {
    return this.attempt(() => act('put', '/api/rig', { body: only(FIELDS.rig, { ...this.#known.rig, ...change }) }));
  }

  /** The state, which is there whenever something can be pressed. */
  get #known(): Overview {
    if (!this.overview) throw new Error(t('The program has not answered yet. Wait a moment, then try again.'));
    return this.overview;
  }

  editRig(change: Partial<RigFields>): void {
    void this.changeRig(change);
  }

  /** Change a kept thing, on top of whatever was changed before. */
  keepMicrophone(id: number, change: Partial<Microphone>): Promise<boolean> {
    return this.attempt(() => {
      const body = only(FIELDS.microphone, { ...kept(this.#known.microphones, id), ...change });
      return act('put', '/api/microphones/{id}', { params: { path: { id } }, body });
    });
  }

  keepInterface(id: number, change: Partial<Interface>): Promise<boolean> {
    return this.attempt(() => {
      const body = only(FIELDS.interface, { ...kept(this.#known.interfaces, id), ...change });
      return act('put', '/api/interfaces/{id}', { params: { path: { id } }, body });
    });
  }

  keepRoom(id: number, change: Partial<Room>): Promise<boolean> {
    return this.attempt(() => {
      const body = only(FIELDS.room, { ...kept(this.#known.rooms, id), ...change });
      return act('put', '/api/rooms/{id}', { params: { path: { id } }, body });
    });
  }

  /** Keep a further microphone, interface or room under a name; what it is, is said afterwards. */
  addThing(kind: KeptKind, name: string): Promise<boolean> {
    if (kind === 'microphone') {
      return this.do('post', '/api/microphones', { body: { name, kind: 'condenser', pattern: 'cardioid' } });
    }
    return this.do('post', kind === 'interface' ? '/api/interfaces' : '/api/rooms', { body: { name } });
  }

  /** Turn a gain control to a position in its own unit. */
  turn(control: Control['key'], position: number): Promise<boolean> {
    return this.do('post', '/api/controls', { body: { control, position } });
  }

  /** Turn a control by so much from wherever it stands when its turn comes: quick presses add up. */
  nudge(key: Control['key'], by: number): Promise<boolean> {
    return this.attempt(() => {
      const control = this.overview?.controls.find((entry) => entry.key === key);
      const wanted = (control?.position ?? 0) + by;
      const position = Math.min(control?.high ?? 100, Math.max(control?.low ?? -100, Math.round(wanted * 100) / 100));
      return act('post', '/api/controls', { body: { control: key, position } });
    });
  }

  /** Move a setting by one of its steps. It is shown at once; of a key that is held down the program is asked for where it has come to. */
  async nudgeSetting(stage: string, name: string, by: 1 | -1): Promise<boolean> {
    const setting = this.overview?.settings.find((entry) => entry.stage === stage && entry.name === name);
    const first = this.#pending.set(stage, name, { pinned: true, ...(setting ? nudged(setting, by) : {}) });
    this.#lay();
    if (!first) return true;
    const done = await this.attempt(() =>
      act('patch', '/api/settings', { body: { stage, name, pinned: true, ...this.#pending.send(stage, name) } }),
    );
    this.#pending.answered(stage, name);
    this.#lay();
    return done;
  }

  /** Hold something of a listener's mix, worked out from how the mix is when its turn comes. */
  pinMix(
    key: string,
    name: string,
    value: (mix: Mix) => number | null,
    source: string | null = null,
  ): Promise<boolean> {
    return this.attempt(() => {
      const mix = this.overview?.destinations.find((entry) => entry.key === key)?.mix;
      return act('put', '/api/destinations/{key}/pin', {
        params: { path: { key } },
        body: { name, value: mix ? value(mix) : null, source },
      });
    });
  }

  /** Accept a step; `anyway` where what it asks was read. */
  async confirm(step: StepName, anyway = false): Promise<void> {
    const done = await this.do('post', '/api/confirm', { body: { step, anyway } });
    // Someone who has gone elsewhere meanwhile is left there.
    if (!done || !this.overview || place.step !== step) return;
    const names = this.overview.steps.map((entry) => entry.name);
    place.step = names[Math.min(names.indexOf(step) + 1, names.length - 1)] ?? step;
  }
}

export const desk = new Desk();
