import type { components } from './api.generated';

export type Overview = components['schemas']['Overview'];
export type Rig = components['schemas']['RigView'];
export type RigFields = components['schemas']['RigFields'];
export type Step = components['schemas']['StepView'];
export type StepName = Step['name'];
export type Take = components['schemas']['TakeView'];
export type Half = components['schemas']['HalfView'];
export type Purpose = Take['purpose'];
export type Quiet = components['schemas']['QuietView'];
export type Talk = components['schemas']['TalkView'];
export type Advice = components['schemas']['AdviceView'];
export type Setting = components['schemas']['SettingView'];
export type Band = components['schemas']['BandValue'];
export type Tone = components['schemas']['ToneView'];
export type Delivery = components['schemas']['DeliveryView'];
export type DiagramPoint = components['schemas']['DiagramPointView'];
export type Destination = components['schemas']['DestinationView'];
export type InputChoice = components['schemas']['InputView'];
export type Progress = components['schemas']['ProgressView'];
export type ChangeSetting = components['schemas']['ChangeSetting'];

/** A refusal with the sentence that the server gave. */
export class Refusal extends Error {
  constructor(
    readonly code: string,
    sentence: string,
  ) {
    super(sentence);
  }
}

const LOST = 'The program does not answer. See that it still runs, then try again.';

async function send(method: string, path: string, body?: BodyInit, json = false): Promise<Response> {
  let response: Response;
  try {
    const headers = json ? { 'Content-Type': 'application/json' } : undefined;
    response = await fetch(`/api/${path}`, { method, body, headers });
  } catch {
    throw new Refusal('lost', LOST);
  }
  if (response.ok) return response;
  const problem = (await response.json().catch(() => null)) as { code?: string; sentence?: string } | null;
  throw new Refusal(problem?.code ?? 'http', problem?.sentence ?? `The program answered ${response.status}.`);
}

export async function getState(): Promise<Overview> {
  return (await send('GET', 'state')).json();
}

/** Do something that answers with the whole new state. */
export async function act(method: 'POST' | 'PUT' | 'PATCH' | 'DELETE', path: string, body?: object): Promise<Overview> {
  const answer = await send(method, path, body ? JSON.stringify(body) : undefined, body !== undefined);
  return answer.json();
}

export async function beginBrowserTake(
  purpose: Purpose,
  rateHz: number,
  seconds: number,
  notObeyed: string[],
): Promise<string> {
  const body = JSON.stringify({ purpose, rate_hz: rateHz, seconds, not_obeyed: notObeyed });
  const answer = (await (await send('POST', 'takes/browser', body, true)).json()) as { take_id: string };
  return answer.take_id;
}

export async function sendPiece(takeId: string, number: number, samples: Float32Array<ArrayBuffer>): Promise<void> {
  await send('POST', `takes/browser/${takeId}/${number}`, samples.buffer);
}

export async function sendLive(samples: Float32Array<ArrayBuffer>): Promise<void> {
  await send('POST', 'run/piece', samples.buffer);
}

export async function sendFile(purpose: Purpose, file: File, channel: number | null): Promise<Overview> {
  const form = new FormData();
  form.set('file', file);
  form.set('purpose', purpose);
  if (channel !== null) form.set('channel', String(channel));
  return (await send('POST', 'takes/file', form)).json();
}
