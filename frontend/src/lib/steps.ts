import type { Purpose } from './api';

/** What each step holds: its leaves, what can be taken on each, and for how long. */

export interface Leaf {
  name: string;
  title: string;
}

export const LEAVES: Record<string, Leaf[]> = {
  rig: [
    { name: 'outlook', title: 'What to expect' },
    { name: 'microphone', title: 'Microphone' },
    { name: 'interface', title: 'Interface' },
    { name: 'room', title: 'Room and placement' },
    { name: 'computer', title: 'Sound settings' },
    { name: 'controllers', title: 'Controllers' },
  ],
  quiet: [
    { name: 'rest', title: 'At rest' },
    { name: 'in-use', title: 'In use' },
    { name: 'parts', title: 'Where it comes from' },
    { name: 'listen', title: 'Listen in' },
  ],
  gain: [
    { name: 'levels', title: 'Levels' },
    { name: 'path', title: 'What to turn' },
    { name: 'dial', title: 'Learn a dial' },
    { name: 'live', title: 'Live' },
  ],
  clean: [
    { name: 'gate', title: 'Gate' },
    { name: 'noise', title: 'Noise reduction' },
    { name: 'hum', title: 'Hum' },
    { name: 'clicks', title: 'Keys and clicks' },
    { name: 'ring', title: 'Room reverb' },
  ],
  tone: [
    { name: 'corridor', title: 'What the rig adds' },
    { name: 'target', title: 'Target and taste' },
    { name: 'hiss', title: 'Breath and hiss' },
    { name: 'parts', title: 'Listen to parts' },
  ],
  steady: [
    { name: 'levels', title: 'Levels' },
    { name: 'curve', title: 'Compressor' },
    { name: 'colour', title: 'Colour' },
    { name: 'order', title: 'Order' },
  ],
  send: [
    { name: 'listeners', title: 'Listeners' },
    { name: 'programs', title: 'Programs' },
    { name: 'beside', title: 'Beside the voice' },
    { name: 'recorder', title: 'Recorder' },
    { name: 'run', title: 'Delay and load' },
  ],
  prove: [
    { name: 'blind', title: 'Blind' },
    { name: 'since', title: 'Since then' },
    { name: 'two', title: 'Two microphones' },
    { name: 'carry', title: 'Carry' },
    { name: 'report', title: 'Report' },
  ],
};

export const PURPOSES_OF: Record<string, Purpose[]> = {
  'quiet/rest': ['rest'],
  'quiet/in-use': ['in-use'],
  'quiet/parts': ['muted', 'other-gain'],
  'quiet/listen': ['rest'],
  'gain/levels': ['talk', 'loud', 'soft'],
  'gain/path': ['talk'],
  'gain/dial': ['dial'],
  'gain/live': ['talk'],
  'clean/gate': ['in-use'],
  'clean/noise': ['rest'],
  'clean/hum': ['rest'],
  'clean/clicks': ['in-use'],
  'clean/ring': ['clap', 'sweep'],
  'tone/target': ['reference'],
  tone: ['passage'],
  steady: ['talk'],
  'prove/since': ['check'],
  'prove/two': ['both'],
};

export const TAKE_NAMES: Record<Purpose, string> = {
  rest: 'the room',
  'in-use': 'the room in use',
  muted: 'the muted input',
  'other-gain': 'the room at another gain',
  talk: 'normal talk',
  loud: 'your loudest',
  soft: 'your softest',
  passage: 'the passage',
  dial: 'a mark of the dial',
  clap: 'a clap',
  sweep: 'a sweep',
  reference: 'a reference',
  check: 'a check',
  both: 'both microphones',
  beside: 'the second microphone',
  sentence: 'a sentence',
};

export const TAKE_WORDS: Record<Purpose, string> = {
  rest: 'room',
  'in-use': 'in use',
  muted: 'muted',
  'other-gain': 'other gain',
  talk: 'talk',
  loud: 'loudest',
  soft: 'softest',
  passage: 'passage',
  dial: 'mark',
  clap: 'clap',
  sweep: 'sweep',
  reference: 'reference',
  check: 'check',
  both: 'both',
  beside: 'second',
  sentence: 'sentence',
};
