import { t } from './words';
import type { Purpose } from './api';

/** What each step holds: its leaves, what can be taken on each, and for how long. */

export interface Leaf {
  name: string;
  title: string;
}

export const LEAVES: Record<string, Leaf[]> = {
  rig: [
    { name: 'outlook', title: t('What to expect') },
    { name: 'microphone', title: t('Microphone') },
    { name: 'interface', title: t('Interface') },
    { name: 'room', title: t('Room and placement') },
    { name: 'computer', title: t('Sound settings') },
    { name: 'controllers', title: t('Controllers') },
  ],
  quiet: [
    { name: 'rest', title: t('At rest') },
    { name: 'in-use', title: t('In use') },
    { name: 'parts', title: t('Where it comes from') },
    { name: 'listen', title: t('Listen in') },
  ],
  gain: [
    { name: 'levels', title: t('Levels') },
    { name: 'path', title: t('What to turn') },
    { name: 'dial', title: t('Learn a dial') },
    { name: 'live', title: t('Live') },
  ],
  clean: [
    { name: 'gate', title: t('Gate') },
    { name: 'noise', title: t('Noise reduction') },
    { name: 'hum', title: t('Hum') },
    { name: 'moves', title: t('What moves') },
    { name: 'clicks', title: t('Keys and clicks') },
    { name: 'ring', title: t('Room reverb') },
  ],
  tone: [
    { name: 'corridor', title: t('What the rig adds') },
    { name: 'target', title: t('Target and taste') },
    { name: 'find', title: t('Find your sound') },
    { name: 'hiss', title: t('Breath and hiss') },
    { name: 'parts', title: t('Listen to parts') },
  ],
  steady: [
    { name: 'levels', title: t('Levels') },
    { name: 'curve', title: t('Compressor') },
    { name: 'colour', title: t('Colour') },
    { name: 'order', title: t('Order') },
  ],
  send: [
    { name: 'listeners', title: t('Listeners') },
    { name: 'situations', title: t('Situations') },
    { name: 'programs', title: t('Programs') },
    { name: 'beside', title: t('Other sources') },
    { name: 'people', title: t('Two people') },
    { name: 'recorder', title: t('Recorder') },
    { name: 'run', title: t('Delay and load') },
  ],
  prove: [
    { name: 'blind', title: t('Blind') },
    { name: 'since', title: t('Since then') },
    { name: 'two', title: t('Two microphones') },
    { name: 'carry', title: t('Carry') },
    { name: 'report', title: t('Report') },
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
  'clean/moves': ['in-use'],
  'clean/ring': ['clap', 'sweep'],
  'tone/target': ['reference'],
  'tone/corridor': ['passage', 'phone'],
  tone: ['passage'],
  steady: ['talk'],
  'prove/since': ['check'],
  'prove/two': ['both'],
};

export const TAKE_NAMES: Record<Purpose, string> = {
  rest: t('the room'),
  'in-use': t('the room in use'),
  muted: t('the muted input'),
  'other-gain': t('the room at another gain'),
  talk: t('normal talk'),
  loud: t('your loudest'),
  soft: t('your softest'),
  passage: t('the passage'),
  dial: t('a mark of the dial'),
  clap: t('a clap'),
  sweep: t('a sweep'),
  reference: t('a reference'),
  phone: t('a phone’s take'),
  check: t('a check'),
  both: t('both microphones'),
  beside: t('the second microphone'),
  sentence: t('a sentence'),
};

export const TAKE_WORDS: Record<Purpose, string> = {
  rest: t('room'),
  'in-use': t('in use'),
  muted: t('muted'),
  'other-gain': t('other gain'),
  talk: t('talk'),
  loud: t('loudest'),
  soft: t('softest'),
  passage: t('passage'),
  dial: t('mark'),
  clap: t('clap'),
  sweep: t('sweep'),
  reference: t('reference'),
  phone: t('phone'),
  check: t('check'),
  both: t('both'),
  beside: t('second'),
  sentence: t('sentence'),
};
