import { Refusal, sendLive, sendWatch } from './api';
import { LiveCapture } from './capture';
import { playback } from './playback.svelte';
import { desk } from './state.svelte';

/** What is said when nobody takes a piece of the live microphone: the program is away, or came back and runs nothing yet. */
const GONE = ['lost', 'not-live'];

/** Live, and listening in: this page's own microphone where the rig uses it. */
class OnAir {
  #liveCapture: LiveCapture | null = null;
  /** The program went away while this page's microphone was live: it goes live again with the program. */
  #goesOn = false;
  #watchCapture: LiveCapture | null = null;

  constructor() {
    desk.needsStream.push(() => this.#liveCapture !== null || this.#watchCapture !== null);
    desk.onmet = () => this.#goOn();
  }

  /** The program is back: go live again where somebody was live, and nobody stopped it meanwhile. */
  async #goOn(): Promise<void> {
    const run = desk.overview?.run;
    if (!this.#goesOn || !run) return;
    this.#goesOn = false;
    if (run.wanted && !run.live) await this.goLive();
  }

  async goLive(): Promise<void> {
    if (desk.overview?.rig.source !== 'browser') {
      await desk.do('post', '/api/run/start', { body: {} });
      return;
    }
    this.#liveCapture = new LiveCapture(sendLive);
    try {
      await this.#liveCapture.start(
        (rateHz) => desk.do('post', '/api/run/start', { body: { rate_hz: Math.round(rateHz) } }),
        (sentence, why) => {
          this.#goesOn = why instanceof Refusal && GONE.includes(why.code);
          void (this.#goesOn ? this.#closeLive() : this.stopLive());
          if (sentence) desk.trouble = sentence;
        },
      );
    } catch (error) {
      desk.complain(error);
    }
  }

  async #closeLive(): Promise<void> {
    await this.#liveCapture?.stop();
    this.#liveCapture = null;
    desk.lookAgain();
  }

  async stopLive(): Promise<void> {
    this.#goesOn = false;
    await this.#closeLive();
    if (desk.overview?.run.live) await desk.do('post', '/api/run/stop');
  }

  /** Listen in: what the microphone hears, twenty times a second. */
  async watch(purpose: 'rest' | 'talk'): Promise<void> {
    desk.frames.clear();
    if (desk.overview?.rig.source !== 'browser') {
      await desk.do('post', '/api/watch', { body: { purpose } });
      return;
    }
    this.#watchCapture = new LiveCapture(sendWatch);
    try {
      await this.#watchCapture.start(
        (rateHz) => desk.do('post', '/api/watch', { body: { purpose, rate_hz: Math.round(rateHz) } }),
        (sentence) => {
          void this.stopWatch();
          if (sentence) desk.trouble = sentence;
        },
      );
    } catch (error) {
      desk.complain(error);
    }
  }

  async stopWatch(): Promise<void> {
    await this.#watchCapture?.stop();
    this.#watchCapture = null;
    desk.lookAgain();
    await desk.do('post', '/api/watch/stop');
  }

  /** Hear what the microphone hears now, treated or raw; listens in first where nothing is live. */
  async hearLive(): Promise<void> {
    if (playback.hearingLive) return playback.liveSound.stop();
    playback.stopSound();
    desk.trouble = null;
    const mine = !desk.overview?.run.live && !desk.overview?.watch.on;
    // Said at once, so that a second press takes the headphones off again.
    playback.hearingLive = true;
    if (mine) await this.watch('talk');
    if (!desk.overview?.run.live && !desk.overview?.watch.on) {
      playback.hearingLive = false;
      return;
    }
    if (!desk.treatable) playback.version = 'raw';
    playback.liveSound.listen(playback.aid, playback.probeHz);
    playback.liveSound.choose(playback.version, playback.matched);
    const told = setInterval(() => (playback.behindMs = playback.liveSound.behindMs), 500);
    try {
      await playback.liveSound.play(`/api/live/sound?off=${playback.without.join(',')}`);
    } catch (error) {
      desk.complain(error);
    } finally {
      clearInterval(told);
      playback.hearingLive = false;
      playback.behindMs = null;
      if (mine && desk.overview?.watch.on) await this.stopWatch();
    }
  }
}

export const onAir = new OnAir();
