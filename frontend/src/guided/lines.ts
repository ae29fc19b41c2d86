import type { Overview, StepName } from '../lib/api';
import { level, withUnit } from '../lib/format';

/** A finished calibration in eight lines: what each step came to, and why. */

export interface Line {
  step: StepName;
  value: string;
  sentence: string;
}

function named(overview: Overview, step: StepName): string {
  const on = overview.stages
    .filter((stage) => stage.step === step && stage.on)
    .map((stage) => stage.title.toLowerCase());
  return on.length ? on.join(', ') : 'nothing needs to run here';
}

function running(overview: Overview, step: StepName): string {
  const stages = overview.stages.filter((stage) => stage.step === step);
  return `${stages.filter((stage) => stage.on).length} of ${stages.length} on`;
}

/** As the level diagram shows it: at the gain of now, measured or moved there by physics. */
function gained(overview: Overview): Pick<Line, 'value' | 'sentence'> {
  const peak = overview.diagram.find((point) => point.name === 'converter')?.peak_dbfs;
  const value = withUnit(peak, 'dBFS');
  if (overview.predictions.talk) return { value, sentence: 'The highest peak at the gain of now, by physics.' };
  const { gain_plan: plan, talk } = overview;
  return { value, sentence: plan ? `${plan.sentence}. ${withUnit(talk?.snr_db, 'dB', 0)} over the room.` : '' };
}

function roomAtRest(overview: Overview): Pick<Line, 'value' | 'sentence'> {
  const { quiet, predictions } = overview;
  if (!quiet) return { value: withUnit(null, 'dBFS'), sentence: '' };
  const moved = predictions.rest?.room_db ?? 0;
  const at = (known: number | null) => withUnit(known === null ? null : known + moved, 'dBFS');
  const how = predictions.rest ? ', moved to the gain of now by physics' : '';
  return { value: at(quiet.rms_dbfs), sentence: `The room at rest; A-weighted ${at(quiet.a_weighted_dbfs)}${how}.` };
}

export function linesOf(overview: Overview): Line[] {
  const { rig, tone, delivery, proofs } = overview;
  const bands = overview.settings.filter((setting) => setting.stage === 'equalizer').length;
  const feeds = overview.destinations.filter((entry) => entry.on && entry.feed).map((entry) => `“${entry.feed}”`);
  const why = (kind: string) => overview.stages.find((stage) => stage.key === kind)?.because ?? '';
  const madeOf = overview.rigs.find((entry) => entry.id === rig.id)?.made_of ?? '';
  return [
    {
      step: 'rig',
      value: rig.distance_cm === null ? 'distance unknown' : `${rig.distance_cm} cm`,
      sentence: madeOf,
    },
    { step: 'quiet', ...roomAtRest(overview) },
    { step: 'gain', ...gained(overview) },
    { step: 'clean', value: running(overview, 'clean'), sentence: named(overview, 'clean') },
    {
      step: 'tone',
      value: bands === 1 ? '1 band' : `${bands} bands`,
      sentence: bands ? (tone?.remaining?.sentence ?? '') : why('equalizer'),
    },
    {
      step: 'steady',
      value: withUnit(delivery?.planned_lufs, 'LUFS'),
      sentence: delivery
        ? `${named(overview, 'steady')}; peaks under ${level(delivery.planned_true_peak_dbtp)} dBTP.`
        : '',
    },
    {
      step: 'send',
      value: feeds.length === 1 ? '1 feed' : `${feeds.length} feeds`,
      sentence: overview.computer.missing
        ? 'No sound server answers, so no program can pick them; the recorder and files work.'
        : feeds.length
          ? `${feeds.join(', ')} can be picked by any program; silent until you are live.`
          : '',
    },
    {
      step: 'prove',
      value: proofs.good ? `${proofs.good} of ${proofs.all} proved` : 'not yet',
      sentence: 'Hear raw against treated, blind; and check in some days whether anything moved.',
    },
  ];
}
