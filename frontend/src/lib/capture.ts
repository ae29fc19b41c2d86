import { act, beginBrowserTake, Refusal, sendPiece, type Purpose } from './api';
import workletUrl from './capture-worklet.js?url';

const ASKED_OFF = {
  echoCancellation: 'echo cancelling',
  noiseSuppression: 'noise suppression',
  autoGainControl: 'auto gain',
} as const;

const SENTENCES: Record<string, string> = {
  NotAllowedError:
    'The browser was not allowed to use the microphone. Allow it in the address bar, then take it again.',
  NotFoundError: 'The browser finds no microphone. Plug one in, then take it again.',
  NotReadableError: 'Another program holds the microphone. Close it there, then take it again.',
};

/** Which processing the browser left on although it was asked off. */
export function notObeyed(settings: MediaTrackSettings): string[] {
  return Object.entries(ASKED_OFF)
    .filter(([name]) => settings[name as keyof typeof ASKED_OFF] === true)
    .map(([, words]) => words);
}

/** One take of the browser's microphone: raw, in pieces, each kept by the program before the next is due. */
export class Capture {
  #end: (unplugged: boolean) => void = () => undefined;

  constructor(
    readonly purpose: Purpose,
    readonly seconds: number,
  ) {}

  stop(): void {
    this.#end(false);
  }

  async run(): Promise<void> {
    const stream = await this.#openMicrophone();
    const context = new AudioContext();
    try {
      await this.#record(stream, context);
    } finally {
      stream.getTracks().forEach((track) => track.stop());
      await context.close();
    }
  }

  async #openMicrophone(): Promise<MediaStream> {
    const audio: MediaTrackConstraints = { channelCount: 1 };
    for (const name of Object.keys(ASKED_OFF) as (keyof typeof ASKED_OFF)[]) audio[name] = false;
    try {
      return await navigator.mediaDevices.getUserMedia({ audio });
    } catch (error) {
      const name = error instanceof DOMException ? error.name : '';
      throw new Refusal(
        'microphone',
        SENTENCES[name] ?? 'The microphone could not be opened. Check it, then try again.',
      );
    }
  }

  async #record(stream: MediaStream, context: AudioContext): Promise<void> {
    const track = stream.getAudioTracks()[0];
    if (!track) throw new Refusal('microphone', SENTENCES.NotFoundError ?? '');
    await context.audioWorklet.addModule(workletUrl);
    const gatherer = new AudioWorkletNode(context, 'gatherer', { numberOfOutputs: 0 });
    const takeId = await beginBrowserTake(
      this.purpose,
      context.sampleRate,
      this.seconds,
      notObeyed(track.getSettings()),
    );
    let number = 0;
    let sending: Promise<void> = Promise.resolve();
    const wanted = Math.ceil(this.seconds * 4);
    const unplugged = await new Promise<boolean>((resolve, reject) => {
      this.#end = resolve;
      track.addEventListener('ended', () => resolve(true));
      gatherer.port.onmessage = (event: MessageEvent<Float32Array<ArrayBuffer>>) => {
        if (number >= wanted) return;
        const mine = number++;
        sending = sending.then(() => sendPiece(takeId, mine, event.data));
        sending.catch(reject);
        if (number >= wanted) resolve(false);
      };
      context.createMediaStreamSource(stream).connect(gatherer);
    });
    await sending;
    await act('POST', 'takes/stop');
    if (unplugged) {
      throw new Refusal(
        'unplugged',
        `The microphone went away after ${(number / 4).toFixed(0)} s; what came before is kept. Plug it in and take it again.`,
      );
    }
  }
}
