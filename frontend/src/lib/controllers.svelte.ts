import { t } from './words';
import type { Binding, Setting } from './api';
import { parse, shareOf, SoftTakeover, valueAt, type ControlMessage } from './midi';
import { onAir } from './on-air.svelte';
import { place } from './place.svelte';
import { playback } from './playback.svelte';
import { pushToTalk } from './push-to-talk';
import { desk } from './state.svelte';

export type Does = Pick<Binding, 'do'> & Partial<Pick<Binding, 'stage' | 'name' | 'clip' | 'situation'>>;
export const SIMULATED = t('Simulated controller');
const ASKED = 'controllers';
const BAND_GAIN_DB: [number, number] = [-12, 9];

/** Knobs and pads of this computer's controllers, through the browser. */
class Controllers {
  /** What is plugged in; the simulated one always is. */
  devices = $state<string[]>([SIMULATED]);
  /** What the next knob or pad is bound to; null while nothing is learned. */
  learning = $state<Does | 'touched' | null>(null);
  /** The last message, so that the person sees that something arrives. */
  last = $state<(ControlMessage & { device: string }) | null>(null);
  /** A knob that waits for its setting, by the binding's id. */
  waiting = $state<number | null>(null);
  trouble = $state<string | null>(null);
  /** Where the knobs of the simulated controller stand, as those of a real one would. */
  readonly simulatedKnobs = $state<number[]>([0, 0, 0, 0]);
  #access: MIDIAccess | null = null;
  readonly #takeovers = new Map<number, SoftTakeover>();
  readonly #wanted = new Map<string, number>();
  #sending = false;

  get there(): boolean {
    return this.#access !== null;
  }

  /** Controllers that were asked for once are used again. */
  async again(): Promise<void> {
    if (localStorage.getItem(ASKED)) await this.use();
  }

  /** Ask the browser for the controllers of this computer. */
  async use(): Promise<void> {
    this.trouble = null;
    if (!('requestMIDIAccess' in navigator)) {
      this.trouble = t('This browser gives no access to controllers. Chromium and Firefox do.');
      return;
    }
    try {
      this.#access = await navigator.requestMIDIAccess({ sysex: false });
    } catch {
      this.trouble = t('The browser was not allowed to use controllers. Allow it beside the address, then try again.');
      return;
    }
    localStorage.setItem(ASKED, 'yes');
    this.#access.onstatechange = () => this.#look();
    this.#look();
  }

  #look(): void {
    const inputs = [...(this.#access?.inputs.values() ?? [])].filter((input) => input.state === 'connected');
    for (const input of inputs) {
      const name = input.name ?? t('Controller');
      input.onmidimessage = (event) => this.receive(name, event.data ?? []);
    }
    this.devices = [SIMULATED, ...inputs.map((input) => input.name ?? t('Controller'))];
  }

  /** A message of a device, as it came. */
  receive(device: string, bytes: ArrayLike<number>): void {
    const message = parse(bytes);
    if (!message) return;
    this.last = { ...message, device };
    if (this.learning && (message.kind === 'control' || message.value > 0)) {
      this.#bind(device, message);
      return;
    }
    const binding = desk.overview?.bindings.find(
      (one) =>
        one.device === device &&
        one.kind === message.kind &&
        one.channel === message.channel &&
        one.number === message.number,
    );
    if (binding) this.#act(binding, message);
  }

  /** “Touch the setting, turn the knob”: what is chosen now, or what was said. */
  #bind(device: string, { kind, channel, number }: ControlMessage): void {
    const does = this.learning === 'touched' ? this.#touched() : this.learning;
    if (!does) return;
    this.learning = null;
    void desk.do('put', '/api/bindings', { body: { device, kind, channel, number, ...does } });
  }

  #touched(): Does | null {
    const [stage, name] = place.chosenSetting?.split('/') ?? [];
    return stage && name ? { do: 'setting', stage, name } : null;
  }

  #act(binding: Binding, message: ControlMessage): void {
    if (binding.do === 'setting') return this.#turn(binding, message.value / 127);
    const down = message.kind === 'note' ? message.value > 0 : message.value >= 64;
    if (binding.do === 'talk') return down ? pushToTalk.begin() : pushToTalk.end();
    if (!down) return;
    const run = desk.overview?.run;
    if (binding.do === 'mute') void desk.do('post', '/api/run/mute/toggle');
    else if (binding.do === 'live') void (run?.live ? onAir.stopLive() : onAir.goLive());
    else if (binding.do === 'clip' && binding.clip) void playback.pressClip(binding.clip);
    else if (binding.do === 'stage') this.#switch(binding.stage);
    else if (binding.do === 'record') this.#record();
    else if (binding.do === 'situation') this.#use(binding.situation);
  }

  #switch(stage: string | null): void {
    const there = desk.overview?.stages.find((one) => one.key === stage);
    if (there) void desk.do('patch', '/api/stages', { body: { stage: there.key, on: !there.on } });
  }

  #use(id: number | null): void {
    if (id === null) void desk.do('post', '/api/situations/next');
    else void desk.do('post', '/api/situations/{id}/use', { params: { path: { id } } });
  }

  #record(): void {
    if (desk.overview?.recorder.recording) void desk.do('post', '/api/recordings/stop');
    else void desk.do('post', '/api/recordings/start', { body: { purpose: t('Recording') } });
  }

  #turn(binding: Binding, knob: number): void {
    const setting = settingOf(binding.stage, binding.name);
    if (!setting) return;
    const key = `${setting.stage}/${setting.name}`;
    const [low, high] = setting.band ? BAND_GAIN_DB : [setting.low ?? 0, setting.high ?? 1];
    const unit = setting.band ? 'dB' : setting.unit;
    const stands = this.#wanted.get(key) ?? (setting.band ? setting.band.gain_db : (setting.value ?? low));
    const takeover = this.#takeovers.get(binding.id) ?? new SoftTakeover();
    this.#takeovers.set(binding.id, takeover);
    const holds = takeover.turn(knob, shareOf(stands, low, high, unit));
    this.waiting = holds ? null : binding.id;
    if (!holds) return;
    this.#wanted.set(key, valueAt(knob, low, high, unit, setting.band ? 0.1 : (setting.step ?? 0.1)));
    void this.#send();
  }

  /** One change at a time: of what a knob passed meanwhile only the last is worth sending. */
  async #send(): Promise<void> {
    if (this.#sending) return;
    this.#sending = true;
    while (this.#wanted.size) {
      const [key, value] = this.#wanted.entries().next().value!;
      const [stage, name] = key.split('/') as [string, string];
      const band = settingOf(stage, name)?.band;
      const more = band ? { band: { ...band, gain_db: value } } : { value };
      await desk.do('patch', '/api/settings', { body: { stage, name, pinned: true, ...more } });
      if (this.#wanted.get(key) === value) this.#wanted.delete(key);
    }
    this.#sending = false;
  }
}

function settingOf(stage: string | null, name: string | null): Setting | undefined {
  return desk.overview?.settings.find((one) => one.stage === stage && one.name === name);
}

export const controllers = new Controllers();
