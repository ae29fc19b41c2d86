import { desk } from './state.svelte';

export const KEYS: [string, string][] = [
  ['1 – 7', 'go to a step'],
  ['T', 'take, or stop the take'],
  ['Space', 'play, stop'],
  ['F', 'raw or treated'],
  ['L', 'match loudness'],
  ['H', 'hear yourself live'],
  ['P', 'pin the chosen setting, or let it go'],
  ['[  ]', 'nudge the chosen setting'],
  ['M', 'send the marker'],
  ['Shift 1 – 9', 'play a clip while live'],
  ['Ctrl Z', 'undo; with Shift, redo'],
  ['?', 'this list'],
];

/** What the chosen setting offers to the keys; the slip sets it. */
export const chosen: { pin: (() => void) | null; nudge: ((by: 1 | -1) => void) | null } = { pin: null, nudge: null };

function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  return !!target && /^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName);
}

export function onKey(event: KeyboardEvent): void {
  if (event.key === 'Escape') desk.help = false;
  if (!typing(event) && (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
    event.preventDefault();
    void desk.do('POST', event.shiftKey ? 'redo' : 'undo');
    return;
  }
  if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return;
  const onButton = (event.target as HTMLElement | null)?.tagName === 'BUTTON';
  const steps = desk.overview?.steps ?? [];
  const digit = event.shiftKey ? /^Digit([1-9])$/.exec(event.code) : null;
  if (digit) {
    const clip = desk.overview?.clips.find((entry) => entry.key === digit[1]);
    if (clip) {
      event.preventDefault();
      void desk.pressClip(clip.id);
    }
    return;
  }
  const number = Number(event.key);
  if (number >= 1 && number <= steps.length) {
    desk.step = steps[number - 1]?.name ?? desk.step;
    return;
  }
  const actions: Record<string, () => void> = {
    t: () => void (desk.progress ? desk.stopTake() : desk.take()),
    f: () => desk.hear(desk.version === 'raw' && desk.treatable ? 'treated' : 'raw'),
    l: () => desk.setMatched(!desk.matched),
    h: () => void desk.hearLive(),
    p: () => chosen.pin?.(),
    '[': () => chosen.nudge?.(-1),
    ']': () => chosen.nudge?.(1),
    m: () => void (desk.step === 'send' && desk.do('POST', 'marker')),
    '?': () => (desk.help = !desk.help),
    ' ': () => desk.togglePlay(),
  };
  if (event.key === ' ' && onButton) return;
  const action = actions[event.key.toLowerCase()];
  if (action) {
    event.preventDefault();
    action();
  }
}
