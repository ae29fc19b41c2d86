import { t } from './words';
import { act, beginBrowserTake, Refusal, sendPiece, type Purpose, type TakeMore } from './api';
import workletUrl from './capture-worklet.js?url';

const ASKED_OFF = {
  echoCancellation: t('echo cancelling'),
  noiseSuppression: t('noise suppression'),
  autoGainControl: t('auto gain'),
} as const;

const SENTENCES: Record<string, string> = {
  NotAllowedError: t(
    'The browser was not allowed to use the microphone. Allow it in the address bar, then record again.',
  ),
  NotFoundError: t('The browser finds no microphone. Plug one in, then record again.'),
  NotReadableError: t('Another program holds the microphone. Close it there, then record again.'),
};

/** Which processing the browser left on although it was asked off. */
export function notObeyed(settings: MediaTrackSettings): string[] {
  return Object.entries(ASKED_OFF)
    .filter(([name]) => settings[name as keyof typeof ASKED_OFF] === true)
    .map(([, words]) => words);
}

interface Microphone {
  track: MediaStreamTrack;
  rateHz: number;
  close: () => Promise<void>;
}

/** Open the microphone raw and hand its sound over in pieces. */
async function openMicrophone(
  pieceSeconds: number,
  onPiece: (piece: Float32Array<ArrayBuffer>) => void,
  deviceId?: string,
): Promise<Microphone> {
  const audio: MediaTrackConstraints = { channelCount: 1 };
  if (deviceId) audio.deviceId = { exact: deviceId };
  for (const name of Object.keys(ASKED_OFF) as (keyof typeof ASKED_OFF)[]) audio[name] = false;
  let stream: MediaStream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({ audio });
  } catch (error) {
    const name = error instanceof DOMException ? error.name : '';
    throw new Refusal(
      'microphone',
      SENTENCES[name] ?? t('The microphone could not be opened. Check it, then try again.'),
    );
  }
  const context = new AudioContext();
  const close = async () => {
    stream.getTracks().forEach((track) => track.stop());
    if (context.state !== 'closed') await context.close();
  };
  const track = stream.getAudioTracks()[0];
  if (!track) throw new Refusal('microphone', SENTENCES.NotFoundError ?? '');
  try {
    await context.audioWorklet.addModule(workletUrl);
    const gatherer = new AudioWorkletNode(context, 'gatherer', {
      numberOfOutputs: 0,
      processorOptions: { seconds: pieceSeconds },
    });
    gatherer.port.onmessage = (event: MessageEvent<Float32Array<ArrayBuffer>>) => onPiece(event.data);
    context.createMediaStreamSource(stream).connect(gatherer);
  } catch (error) {
    await close();
    throw error;
  }
  return { track, rateHz: context.sampleRate, close };
}

const PIECES_PER_SECOND = 4;

/** One take of the browser's microphone: raw, in pieces, each kept by the program before the next is due. */
export class Capture {
  #end: (unplugged: boolean) => void = () => undefined;

  constructor(
    readonly purpose: Purpose,
    readonly seconds: number,
    readonly more: TakeMore = {},
  ) {}

  stop(): void {
    this.#end(false);
  }

  async run(): Promise<void> {
    const early: Float32Array<ArrayBuffer>[] = [];
    let take = (piece: Float32Array<ArrayBuffer>): void => void early.push(piece);
    const microphone = await openMicrophone(1 / PIECES_PER_SECOND, (piece) => take(piece));
    try {
      const left = notObeyed(microphone.track.getSettings());
      const takeId = await beginBrowserTake(this.purpose, microphone.rateHz, this.seconds, left, this.more);
      const wanted = Math.ceil(this.seconds * PIECES_PER_SECOND);
      let number = 0;
      let sending: Promise<void> = Promise.resolve();
      const unplugged = await new Promise<boolean>((resolve, reject) => {
        this.#end = resolve;
        microphone.track.addEventListener('ended', () => resolve(true));
        take = (piece) => {
          if (number >= wanted) return;
          const mine = number++;
          sending = sending.then(async () => {
            if (await sendPiece(takeId, mine, piece)) resolve(false);
          });
          sending.catch(reject);
          if (number >= wanted) resolve(false);
        };
        early.forEach(take);
      });
      await sending;
      await act('post', '/api/takes/stop').catch((why: unknown) => {
        // It has ended by itself meanwhile, and is kept.
        if (!(why instanceof Refusal && why.code === 'no-take')) throw why;
      });
      if (unplugged) throw new Refusal('unplugged', wentAway(number / PIECES_PER_SECOND));
    } finally {
      await microphone.close();
    }
  }
}

function wentAway(seconds: number): string {
  return t(
    'The microphone was disconnected after {seconds} s; what came before is saved. Plug it in and record again.',
    {
      seconds: seconds.toFixed(0),
    },
  );
}

const LIVE_PIECE_S = 0.05;

/** The browser's microphone as a source without end: for the live run, or for listening in. */
export class LiveCapture {
  #microphone: Microphone | null = null;
  #live = false;
  #sending: Promise<void> = Promise.resolve();

  constructor(
    readonly send: (samples: Float32Array<ArrayBuffer>) => Promise<void>,
    readonly deviceId?: string,
  ) {}

  /** The device's own name, once it is open. */
  get label(): string {
    return this.#microphone?.track.label ?? '';
  }

  /** Open the microphone, go live at its rate, send what it hears; `ended` is called when it goes away, or with why a piece found nobody. */
  async start(
    goLive: (rateHz: number) => Promise<boolean>,
    ended: (sentence: string | null, why?: unknown) => void,
  ): Promise<void> {
    this.#microphone = await openMicrophone(
      LIVE_PIECE_S,
      (piece) => {
        if (!this.#live) return;
        this.#sending = this.#sending
          .then(() => (this.#live ? this.send(piece) : undefined))
          .catch((why: unknown) => {
            if (this.#live) ended(null, why);
            this.#live = false;
          });
      },
      this.deviceId,
    );
    this.#microphone.track.addEventListener('ended', () =>
      ended(t('The microphone was disconnected, so the run stopped. Plug it in, then start live again.')),
    );
    this.#live = await goLive(this.#microphone.rateHz);
    if (!this.#live) await this.stop();
  }

  /** Let go; what is on its way has arrived then, and what waits is not sent any more. */
  async stop(): Promise<void> {
    this.#live = false;
    await this.#microphone?.close();
    this.#microphone = null;
    await this.#sending;
  }
}
