import { t } from './words';
import createClient, { type MaybeOptionalInit } from 'openapi-fetch';
import type { HttpMethod, PathsWithMethod } from 'openapi-typescript-helpers';
import type { components, paths } from './api.generated';
import { session, STRANGER } from './session';

export type Overview = components['schemas']['Overview'];
/** What comes as an answer: the fields of the parts that differ, and the word of each part that was read. */
export type Answer = Partial<Overview> & Pick<Overview, 'revision' | 'have' | 'findings'>;
export type Rig = components['schemas']['RigView'];
export type RigFields = components['schemas']['RigFields'];
export type Step = components['schemas']['StepView'];
export type StepName = Step['name'];
export type Take = components['schemas']['TakeView'];
export type Half = components['schemas']['HalfView'];
export type Purpose = Take['purpose'];
export type Quiet = components['schemas']['QuietView'];
export type Talk = components['schemas']['TalkView'];
export type GainPlan = components['schemas']['GainPlanView'];
export type Cause = components['schemas']['CauseView'];
export type Split = components['schemas']['SplitView'];
export type Control = components['schemas']['ControlView'];
export type Outlook = components['schemas']['OutlookView'];
export type Microphone = components['schemas']['MicrophoneView'];
export type Interface = components['schemas']['InterfaceView'];
export type Room = components['schemas']['RoomView'];
export type Device = components['schemas']['DeviceView'];
export type Audit = components['schemas']['AuditFinding'];
export type ComputerChange = components['schemas']['ChangeDevice'];
export type KeptKind = 'microphone' | 'interface' | 'room';

/** One twentieth of a second of sound, as the event stream carries it. */
export interface Frame {
  of: 'watch' | 'take' | 'run';
  level_dbfs: number | null;
  peak_dbfs: number | null;
  short_dbfs: (number | null)[];
  clipped: number;
  a_weighted_dbfs: number | null;
  bands_hz: number[];
  bands_dbfs: (number | null)[];
}

/** What a take is for beyond its purpose: the mark of a control that is learned, the other gain, or talk until it is steady. */
export interface TakeMore {
  seconds?: number;
  position?: number;
  learns?: 'preamp' | 'slider';
  until_steady?: boolean;
}
export type Stage = components['schemas']['StageView'];
export type Clean = components['schemas']['CleanView'];
export type GateEvidence = components['schemas']['GateEvidence'];
export type GateCounts = components['schemas']['GateCounts'];
export type Ring = components['schemas']['Reverb'];
export type Sibilance = components['schemas']['SibilanceEvidence'];
export type Plosives = components['schemas']['PlosiveEvidenceView'];
export type Preferences = components['schemas']['PreferencesBody'];
export type Taste = components['schemas']['TasteBody'];
export type FindSound = components['schemas']['FindSoundView'];
export type BeforeAfter = components['schemas']['BeforeAfterView'];
export type TakeFrames = components['schemas']['FramesOfTake'];
export type Setting = components['schemas']['SettingView'];
export type Band = components['schemas']['BandValue'];
export type RunningSeries = components['schemas']['RunningSeriesView'];
export type Series = components['schemas']['SeriesView'];
export type Checked = components['schemas']['CheckedView'];
export type Two = components['schemas']['TwoView'];
export type Version = components['schemas']['VersionView'];
export type TwoPeople = components['schemas']['TwoPeopleView'];
export type Situation = components['schemas']['SituationView'];
export type ComparedSituations = components['schemas']['SituationsComparedView'];
export type Compared = components['schemas']['ComparedView'];
export type Brought = components['schemas']['BroughtView'];
export type Binding = components['schemas']['BindingView'];
export type Tone = components['schemas']['ToneView'];
export type Known = components['schemas']['Known'];
export type Delivery = components['schemas']['DeliveryView'];
export type DiagramPoint = components['schemas']['DiagramPointView'];
export type Destination = components['schemas']['DestinationView'];
export type ListenerState = components['schemas']['ListenerState'];
export type SystemProgram = components['schemas']['SystemProgramView'];
export type Mix = components['schemas']['MixView'];
export type Verdict = components['schemas']['Verdict'];
export type ProgramSettings = components['schemas']['ProgramSettings'];
export type Clip = components['schemas']['ClipView'];
export type Recording = components['schemas']['RecordingView'];
export type InputChoice = components['schemas']['InputView'];
export type Finding = components['schemas']['FolderFinding'];
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

const LOST = t('The program does not answer. Check that it still runs, then try again.');
const SLOW = t('The program has not answered for a minute. It may still be busy: wait, then load the page again.');
/** As long as anything that is asked may take; a large file may take longer to hand over. */
const PATIENCE_MS = 60_000;
const PATIENCE_WITH_FILES_MS = 600_000;

/** A browser opens six connections, one of them for the stream. What it would hold back itself goes to whoever has the port by then. */
const MOST_AT_ONCE = 5;
let underWay = 0;
const waiting: (() => void)[] = [];

/** Ask the program. Throws a Refusal where it does not answer, answers too late, or refuses. */
export async function ask(what: string | Request, how: RequestInit = {}): Promise<Response> {
  if (underWay < MOST_AT_ONCE) underWay += 1;
  else await new Promise<void>((go) => waiting.push(go));
  try {
    return await askNow(what, how);
  } finally {
    const next = waiting.shift();
    if (next) next();
    else underWay -= 1;
  }
}

async function askNow(what: string | Request, how: RequestInit): Promise<Response> {
  let response: Response;
  const met = session.trusted ? 'ours' : await session.met();
  if (met !== 'ours') throw met === 'stranger' ? new Refusal('stranger', STRANGER) : new Refusal('lost', LOST);
  const patience = how.body instanceof FormData ? PATIENCE_WITH_FILES_MS : PATIENCE_MS;
  try {
    response = await fetch(typeof what === 'string' ? `/api/${what}` : what, {
      signal: AbortSignal.timeout(patience),
      ...how,
    });
  } catch (error) {
    const late = error instanceof DOMException && error.name === 'TimeoutError';
    if (!late) session.distrust();
    throw late ? new Refusal('slow', SLOW) : new Refusal('lost', LOST);
  }
  if (response.ok) return response;
  const problem = (await response.json().catch(() => null)) as { code?: string; sentence?: string } | null;
  throw new Refusal(
    problem?.code ?? 'http',
    problem?.sentence ?? t('The program answered {status}.', { status: response.status }),
  );
}

/** What is said of the parts of the state with every request; the page that holds them sets it. */
export const parts = { headers: (): Record<string, string> => ({}) };

function send(method: string, path: string, body?: BodyInit, json = false): Promise<Response> {
  const headers = { ...parts.headers(), ...(json ? { 'Content-Type': 'application/json' } : {}) };
  return ask(path, { method, body, headers });
}

export async function takeFrames(takeId: number, version: 'raw' | 'treated'): Promise<TakeFrames> {
  return (await send('GET', `takes/${takeId}/frames?version=${version}`)).json();
}

/** Takes of a purpose that are older than one, which the state leaves out. */
export async function olderTakes(purpose: Purpose, before: number): Promise<Take[]> {
  const found = (await (await send('GET', `takes/older?purpose=${purpose}&before=${before}`)).json()) as {
    takes: Take[];
  };
  return found.takes;
}

/** Count what a gate at another threshold would do; nothing is kept. */
export async function tryGate(threshold_dbfs: number, hysteresis_db: number | null): Promise<GateCounts> {
  const body = JSON.stringify({ threshold_dbfs, hysteresis_db });
  return (await send('POST', 'try/gate', body, true)).json();
}

export async function getState(): Promise<Answer> {
  return (await send('GET', 'state')).json();
}

type Init<I> = undefined extends I ? [init?: I] : [init: I];

/** Do something, typed by what the API takes: a method, a path, and its parameters and body. */
export type Act<Result> = <
  Method extends HttpMethod,
  Path extends PathsWithMethod<paths, Method>,
  I extends MaybeOptionalInit<paths[Path], Method>,
>(
  method: Method,
  path: Path,
  ...init: Init<I>
) => Promise<Result>;

const client = createClient<paths>({
  baseUrl: globalThis.location?.origin ?? 'http://localhost',
  fetch: (request) => ask(request),
});

/** Do something that answers with what it changed of the state. */
export const act: Act<Answer> = async (method, path, ...init) => {
  const [given] = init as [object?];
  const request = client.request as (method: string, path: string, init: object) => Promise<{ data?: unknown }>;
  return (await request(method, path, { ...given, headers: parts.headers() })).data as Answer;
};

export async function beginBrowserTake(
  purpose: Purpose,
  rateHz: number,
  seconds: number,
  notObeyed: string[],
  more: TakeMore = {},
): Promise<string> {
  const body = JSON.stringify({ ...more, purpose, rate_hz: rateHz, seconds, not_obeyed: notObeyed });
  const answer = (await (await send('POST', 'takes/browser', body, true)).json()) as { take_id: string };
  return answer.take_id;
}

/** Send a piece; true when the take has enough. */
export async function sendPiece(takeId: string, number: number, samples: Float32Array<ArrayBuffer>): Promise<boolean> {
  const answer = (await (await send('POST', `takes/browser/${takeId}/${number}`, samples.buffer)).json()) as {
    enough?: boolean;
  };
  return answer.enough ?? false;
}

export async function sendWatch(samples: Float32Array<ArrayBuffer>): Promise<void> {
  await send('POST', 'watch/piece', samples.buffer);
}

export async function sendResponse(file: File): Promise<Answer> {
  const form = new FormData();
  form.set('file', file);
  return (await send('POST', 'response', form)).json();
}

export async function sendLive(samples: Float32Array<ArrayBuffer>): Promise<void> {
  await send('POST', 'run/piece', samples.buffer);
}

export async function sendListener(samples: Float32Array<ArrayBuffer>): Promise<void> {
  await send('POST', 'listener/piece', samples.buffer);
}

/** What the page that listens is told. */
export async function readListener(): Promise<ListenerState> {
  return (await send('GET', 'listener')).json() as Promise<ListenerState>;
}

/** Leave stages out in the headphones alone. */
export async function leaveOutLive(off: string[]): Promise<void> {
  await send('PUT', 'live/without', JSON.stringify({ off: off.join(',') }), true);
}

/** Send a file to where it is taken in: a target, a calibration to look at, another program's equalizer. */
export async function sendFileTo(path: 'targets' | 'brought' | 'brought/equalizer', file: File): Promise<Answer> {
  const form = new FormData();
  form.set('file', file);
  return (await send('POST', path, form)).json();
}

/** The passage before and after. */
export async function readBeforeAfter(): Promise<BeforeAfter> {
  return (await send('GET', 'before-after')).json();
}

/** How far the search for a taste is; begun, answered or left first where that is said. */
export async function findSound(
  what: '' | 'begin' | 'end' = '',
  answered?: { number: number; answer: 'one' | 'other' | 'same' },
): Promise<FindSound> {
  if (answered) return (await send('POST', 'find-sound/answer', JSON.stringify(answered), true)).json();
  const path = what === 'end' ? 'find-sound/end' : 'find-sound';
  return (await send(what === '' ? 'GET' : 'POST', path)).json();
}

/** The rig in hand against another one. */
export async function compareRigs(rigId: number): Promise<Two> {
  return (await send('GET', `two/rigs/${rigId}`)).json();
}

/** Two versions side by side; 0 is what is in force now. */
export async function compareVersions(first: number, second: number): Promise<Compared> {
  return (await send('GET', `versions/${first}/against/${second}`)).json();
}

/** Two situations side by side; 0 is how it is now. */
export async function compareSituations(first: number, second: number): Promise<ComparedSituations> {
  return (await send('GET', `situations/${first}/against/${second}`)).json();
}

export async function sendFile(
  purpose: Purpose,
  file: File,
  channel: number | null,
  more: TakeMore = {},
): Promise<Answer> {
  const form = new FormData();
  form.set('file', file);
  form.set('purpose', purpose);
  if (channel !== null) form.set('channel', String(channel));
  if (more.position !== undefined) form.set('position', String(more.position));
  if (more.learns) form.set('learns', more.learns);
  return (await send('POST', 'takes/file', form)).json();
}

export async function loadClip(file: File): Promise<Answer> {
  const form = new FormData();
  form.set('file', file);
  return (await send('POST', 'clips', form)).json();
}

export async function pressClip(id: number): Promise<void> {
  await send('POST', `clips/${id}/press`, JSON.stringify({ down: true }), true);
}
