import { counted, t, within } from '../lib/words';
import { eitherOf } from '../lib/names';
import type { Overview, StepName } from '../lib/api';
import { level, withUnit } from '../lib/format';

/** A finished calibration in eight lines: what each step came to, and why. */

export interface Line {
  step: StepName;
  value: string;
  sentence: string;
}

function named(overview: Overview, step: StepName): string {
  const on = overview.stages.filter((stage) => stage.step === step && stage.on).map((stage) => within(stage.title));
  return on.length ? on.join(', ') : t('nothing needs to run here');
}

function running(overview: Overview, step: StepName): string {
  const stages = overview.stages.filter((stage) => stage.step === step);
  return t('{on} of {all} on', { on: stages.filter((stage) => stage.on).length, all: stages.length });
}

/** As the level diagram shows it: at the gain of now, measured or moved there by physics. */
function gained(overview: Overview): Pick<Line, 'value' | 'sentence'> {
  const peak = overview.diagram.find((point) => point.name === 'converter')?.peak_dbfs;
  const value = withUnit(peak, 'dBFS');
  if (overview.predictions.talk)
    return { value, sentence: t('Your highest peak at the present gain, by calculation.') };
  const { gain_plan: plan, talk } = overview;
  return {
    value,
    sentence: plan
      ? t('{sentence}. {value} over the room.', { sentence: plan.sentence, value: withUnit(talk?.snr_db, 'dB', 0) })
      : '',
  };
}

function roomAtRest(overview: Overview): Pick<Line, 'value' | 'sentence'> {
  const { quiet, predictions } = overview;
  if (!quiet) return { value: withUnit(null, 'dBFS'), sentence: '' };
  const moved = predictions.rest?.room_db ?? 0;
  const at = (known: number | null) => withUnit(known === null ? null : known + moved, 'dBFS');
  const how = predictions.rest ? t(', moved to the present gain by calculation') : '';
  return {
    value: at(quiet.rms_dbfs),
    sentence: t('The room at rest; A-weighted {a_weighted_dbfs}{how}.', {
      a_weighted_dbfs: at(quiet.a_weighted_dbfs),
      how,
    }),
  };
}

/** The steps whose stages are heard. */
export const SOUNDING: readonly StepName[] = ['clean', 'tone', 'steady'];
/** What brings the voice to its loudness stays: else nothing could be compared. */
const STAYS = ['gain', 'limiter'];

/** The stages of a step that run: what is left out to hear the voice without it. */
export function leftOut(overview: Overview, step: StepName): string[] {
  if (!SOUNDING.includes(step)) return [];
  return overview.stages
    .filter((stage) => stage.step === step && stage.on && !STAYS.includes(stage.key))
    .map((stage) => stage.key);
}

export function linesOf(overview: Overview): Line[] {
  const { rig, tone, delivery, proofs } = overview;
  const bands = overview.settings.filter((setting) => setting.stage === 'equalizer').length;
  const feeds = overview.destinations.filter((entry) => entry.on && entry.feed).map((entry) => entry.feed ?? '');
  const why = (kind: string) => overview.stages.find((stage) => stage.key === kind)?.because ?? '';
  const madeOf = overview.rigs.find((entry) => entry.id === rig.id)?.made_of ?? '';
  return [
    {
      step: 'rig',
      value: rig.distance_cm === null ? t('distance unknown') : `${rig.distance_cm} cm`,
      sentence: madeOf,
    },
    { step: 'quiet', ...roomAtRest(overview) },
    { step: 'gain', ...gained(overview) },
    { step: 'clean', value: running(overview, 'clean'), sentence: named(overview, 'clean') },
    {
      step: 'tone',
      value: counted(bands, '{count} band', '{count} bands'),
      sentence:
        bands && tone
          ? counted(
              bands,
              '{count} band takes out what the rig adds, to within {worst} dB.',
              '{count} bands take out what the rig adds, to within {worst} dB.',
              { worst: level(tone.worst_db) },
            )
          : why('equalizer'),
    },
    {
      step: 'steady',
      value: withUnit(delivery?.planned_lufs, 'LUFS'),
      sentence: delivery
        ? t('{overview}; peaks under {planned_true_peak_dbtp} dBTP.', {
            overview: named(overview, 'steady'),
            planned_true_peak_dbtp: level(delivery.planned_true_peak_dbtp),
          })
        : '',
    },
    {
      step: 'send',
      value: counted(feeds.length, '{count} feed', '{count} feeds'),
      sentence: overview.computer.missing
        ? t('No sound server answers, so no program can choose them; the recorder and files work.')
        : feeds.length
          ? t('Any program can choose {feeds}; silent until you are live.', { feeds: eitherOf(feeds) })
          : '',
    },
    {
      step: 'prove',
      value: proofs.good ? t('{good} of {all} proved', { good: proofs.good, all: proofs.all }) : t('not yet'),
      sentence: t('Compare raw and treated, blind; and check in a few days whether anything drifted.'),
    },
  ];
}
