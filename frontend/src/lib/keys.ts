import type { StepName } from './api';
import { place } from './place.svelte';
import { playback } from './playback.svelte';
import { pushToTalk } from './push-to-talk';
import { taking } from './taking.svelte';
import { onAir } from './on-air.svelte';
import { desk } from './state.svelte';

/** A key, what it does, and the step that it belongs to where it belongs to one. */
export const KEYS: [string, string, StepName?][] = [
  ['1 – 8', 'go to a step'],
  ['T', 'take, or stop the take'],
  ['Space', 'play, stop'],
  ['F', 'raw or treated; held: the other for as long'],
  ['L', 'match loudness'],
  ['H', 'hear yourself live'],
  ['P', 'pin the chosen setting, or let it go'],
  ['[  ]', 'nudge the chosen setting'],
  ['M', 'send the marker', 'send'],
  ['U', 'mute every feed, or none'],
  ['V', 'talk for as long as it is held, where a feed is of push-to-talk'],
  ['← →', 'blind: hear one, hear the other', 'prove'],
  ['A  S  D', 'blind: rather one, no difference, rather the other', 'prove'],
  ['Shift 1 – 9', 'play a clip while live', 'send'],
  ['Ctrl Z', 'undo; with Shift, redo'],
  ['?', 'this list'],
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
  if (event.key.toLowerCase() === 'f') hold.end();
  if (event.key.toLowerCase() === 'v') pushToTalk.end();
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
  const actions: Record<string, () => unknown> = {
    t: () => {
      justTaken = true;
      void (desk.progress ? taking.stopTake() : taking.take());
    },
    f: () => hold.begin(),
    l: () => playback.setMatched(!playback.matched),
    h: () => void onAir.hearLive(),
    p: () => chosen.pin?.(),
    '[': () => chosen.nudge?.(-1),
    ']': () => chosen.nudge?.(1),
    u: () => void desk.do('post', '/api/run/mute/toggle'),
    v: () => desk.overview?.run.push_to_talk && pushToTalk.begin(),
    m: () => void (place.step === 'send' && desk.do('post', '/api/marker')),
    '?': () => (place.help = !place.help),
    ' ': () => playback.togglePlay(),
  };
  if (event.key === 'Tab' || event.key === 'Enter') justTaken = false;
  if (event.key === ' ' && onButton && !justTaken) return;
  const action = actions[event.key.toLowerCase()];
  if (action) {
    event.preventDefault();
    action();
  }
}
