import { t } from './words';
import type { StepName } from './api';
import { chosenKeys, type Doing } from './chosen-keys.svelte';
import { place } from './place.svelte';
import { playback } from './playback.svelte';
import { pushToTalk } from './push-to-talk';
import { taking } from './taking.svelte';
import { onAir } from './on-air.svelte';
import { desk } from './state.svelte';

/** A key, or what a chosen one does; what it does in words, and the step that it belongs to where it belongs to one. */
export const KEYS: [string | { does: Doing }, string, StepName?][] = [
  ['1 – 8', t('go to a step')],
  [{ does: 'take' }, t('record, or stop the take')],
  [t('Space'), t('play, stop')],
  [{ does: 'flip' }, t('raw or treated; while held, the other one')],
  [{ does: 'match' }, t('match loudness')],
  [{ does: 'live' }, t('hear yourself live')],
  [{ does: 'pin' }, t('pin the chosen setting, or release it')],
  [{ does: 'less' }, t('lower the chosen setting slightly')],
  [{ does: 'more' }, t('raise the chosen setting slightly')],
  [{ does: 'marker' }, t('send the marker'), 'send'],
  [{ does: 'mute' }, t('mute every feed, or none')],
  [{ does: 'talk' }, t('talk while it is held, for a feed with push to talk')],
  [{ does: 'situation' }, t('use the next situation')],
  ['← →', t('blind: hear one, hear the other'), 'prove'],
  ['A  S  D', t('blind: prefer one, no difference, prefer the other'), 'prove'],
  [t('Shift 1 – 9'), t('play a clip while live'), 'send'],
  [t('Ctrl Z'), t('undo; with Shift, redo')],
  ['?', t('this list')],
];

/** What a leaf offers to the keys while it is shown, before what they do elsewhere. */
export const here: { keys: Record<string, () => void> } = { keys: {} };

/** What the chosen setting offers to the keys; the slip sets it. */
export const chosen: { pin: (() => void) | null; nudge: ((by: 1 | -1) => void) | null } = { pin: null, nudge: null };

/** A key that is held turns back what it did when it is let go; one that is pressed does not. */
const HELD_MS = 300;
const hold = {
  since: null as number | null,
  begin(): void {
    if (this.since !== null) return;
    this.since = performance.now();
    playback.flip();
  },
  end(): void {
    if (this.since !== null && performance.now() - this.since > HELD_MS) playback.flip();
    this.since = null;
  },
};

export function onKeyUp(event: KeyboardEvent): void {
  const doing = chosenKeys.doing(event.key);
  if (doing === 'flip') hold.end();
  if (doing === 'talk') pushToTalk.end();
}

function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  if (!target || !/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName)) return false;
  return !/^(checkbox|radio|range|button|file)$/.test((target as HTMLInputElement).type);
}

/** Space and arrows are the control's that has the focus. */
function itsOwn(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  if (!target?.matches?.('input, summary, a[href], [role="tab"], [role="slider"]')) return false;
  return event.key === ' ' || event.key === 'Enter' || event.key.startsWith('Arrow');
}

/** Space is the button's that has the focus, but who has just recorded by key wants to hear it. */
let justTaken = false;

export function onKey(event: KeyboardEvent): void {
  if (event.key === 'Escape') place.help = false;
  // A dialog has the keys to itself.
  if (place.help) {
    if (event.key === '?') place.help = false;
    return;
  }
  if (!typing(event) && (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault();
    void desk.do('post', event.shiftKey ? '/api/redo' : '/api/undo');
    return;
  }
  if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  if (!place.singleKeys || itsOwn(event)) return;
  const own = here.keys[event.key.toLowerCase()];
  if (own) {
    event.preventDefault();
    own();
    return;
  }
  const onButton = (event.target as HTMLElement | null)?.tagName === 'BUTTON';
  const steps = desk.overview?.steps ?? [];
  const digit = event.shiftKey ? /^Digit([1-9])$/.exec(event.code) : null;
  if (digit) {
    const clip = desk.overview?.clips.find((entry) => entry.key === digit[1]);
    if (clip) {
      event.preventDefault();
      void playback.pressClip(clip.id);
    }
    return;
  }
  const number = Number(event.key);
  if (number >= 1 && number <= steps.length) {
    place.step = steps[number - 1]?.name ?? place.step;
    return;
  }
  const actions: Record<Doing, () => unknown> = {
    take: () => {
      justTaken = true;
      void (desk.progress ? taking.stopTake() : taking.take());
    },
    flip: () => hold.begin(),
    match: () => playback.setMatched(!playback.matched),
    live: () => void onAir.hearLive(),
    pin: () => chosen.pin?.(),
    less: () => chosen.nudge?.(-1),
    more: () => chosen.nudge?.(1),
    mute: () => void desk.do('post', '/api/run/mute/toggle'),
    talk: () => desk.overview?.run.push_to_talk && pushToTalk.begin(),
    situation: () => void (desk.overview?.situations.length && desk.do('post', '/api/situations/next')),
    marker: () => void (place.step === 'send' && desk.do('post', '/api/marker')),
  };
  const fixed: Record<string, () => unknown> = {
    '?': () => (place.help = !place.help),
    ' ': () => playback.togglePlay(),
  };
  if (event.key === 'Tab' || event.key === 'Enter') justTaken = false;
  if (event.key === ' ' && onButton && !justTaken) return;
  const doing = chosenKeys.doing(event.key);
  const action = doing ? actions[doing] : fixed[event.key];
  if (action) {
    event.preventDefault();
    action();
  }
}
