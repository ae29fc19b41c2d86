"""Live days of a simulated rig: talk with pauses, something that happens in the middle, and what a
watch says of it."""

import copy
from dataclasses import dataclass, replace

import numpy as np

from drift_worlds import CODES, change, world
from obsidian_wren.core.noticing.causes import live_causes
from obsidian_wren.core.noticing.looking import Looking
from obsidian_wren.core.noticing.piece import pieces_of
from obsidian_wren.core.noticing.stretch import summed_up
from obsidian_wren.core.noticing.usual import BEFORE_ANY_DAY
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.world import SimulatedRig

TALK_S, PAUSE_S = 12.0, 3.0


@dataclass
class Day:
    """The distance at the calibration in metres, the calibration as a watch sums it up, and the
    pieces before and after what happened."""

    distance_m: float
    then: object
    before: list
    after: list
    number: float | None


def rig_of(spec, controls=None):
    rig = SimulatedRig(WorldSpec.model_validate(spec))
    rig.controls = replace(rig.controls, **(controls or {}))
    return rig


def calibrated(spec):
    """The calibration as a watch sums it up."""
    rig = rig_of(spec)
    room, passage = rig.take("rest", seconds=8.0), rig.take("passage", seconds=36.0)
    given = {"rate_hz": rig.rate_hz, "with_grid": True}
    return summed_up(pieces_of(passage, **given), pieces_of(room, **given))


def sound_of(spec, controls, seconds):
    """So many seconds of talk, in stretches with pauses between them."""
    rig = rig_of(spec, controls)
    count = round(seconds / TALK_S)
    talk = rig.take("talk", seconds=TALK_S * count).reshape(count, -1)
    rest = rig.take("rest", seconds=PAUSE_S * count).reshape(count, -1)
    return np.concatenate([part for pair in zip(talk, rest, strict=True) for part in pair])


def pieces(spec, controls, seconds):
    """The same as pieces."""
    rate_hz = rig_of(spec).rate_hz
    return pieces_of(sound_of(spec, controls, seconds), rate_hz=rate_hz, with_grid=True)


def read_anew(spec, rng):
    """The world at another time: other noise, another reading."""
    spec = copy.deepcopy(spec)
    spec["seed"] = int(rng.integers(1, 1_000_000))
    spec["talker"]["reading"] = int(rng.integers(1, 1_000_000))
    return spec


def day(seed, kind, *, before_s=60.0, after_s=72.0):
    """A random rig on a day on which one thing happens, or none (``kind`` None)."""
    rng = np.random.default_rng(seed)
    spec = world(rng)
    after, controls, number = (spec, {}, None) if kind is None else change(spec, kind, rng)
    return Day(
        spec["placement"]["distance_m"],
        calibrated(spec),
        pieces(read_anew(spec, rng), {}, before_s),
        pieces(read_anew(after, rng), controls, after_s),
        number,
    )


def noticed(then, live, distance_m, usual=BEFORE_ANY_DAY):
    """What a watch says of pieces: codes, each with the seconds of talk before it."""
    looking, told = Looking(then, usual), []
    for piece in live:
        look = looking.add(piece)
        if look is None or not look.worth_asking:
            continue
        code = looking.judge(look, live_causes(look.change, distance_m=distance_m))
        if code is not None:
            told.append((code, looking.talk_s))
    return told


def on_day(each):
    """What is said on a day, with the seconds of talk since it happened."""
    quiet = Looking(each.then)
    for piece in each.before:
        quiet.add(piece)
    told = noticed(each.then, [*each.before, *each.after], each.distance_m)
    return [(code, talk_s - quiet.talk_s) for code, talk_s in told]


def is_right(kind, told):
    """Whether the first thing that was said is what happened, once it had."""
    if kind is None:
        return not told
    return bool(told) and told[0][0] == CODES[kind] and told[0][1] > 0.0


# How natural talkers differ: from day to day and from one half minute to the next, dB.
DAY_DB, NOW_DB = 1.2, 0.5
PARTS, PART_S = 3, 48.0


def ordinary_day(seed, day_number):
    """The distance, the calibration, and a few stretches of one day on which nothing happens but
    what happens anyway: another level and reading, typing, barks, a slammed door, sneezes, laughs,
    somebody else who talks in the pauses."""
    spec = world(np.random.default_rng(seed))
    rng = np.random.default_rng([seed, day_number])
    today_db = DAY_DB * rng.standard_normal()
    parts = []
    for number in range(PARTS):
        part = read_anew(spec, rng)
        part["talker"]["normal_db_spl"] += today_db + NOW_DB * rng.standard_normal()
        part["noises"] = [*part["noises"], *_for_a_while(number, rng)]
        sound = sound_of(part, {}, PART_S)
        parts.append(pieces_of(_with_moments(sound, part, rng), rate_hz=48_000, with_grid=True))
    return spec["placement"]["distance_m"], parts


def _for_a_while(number, rng):
    return {
        0: [{"kind": "clicks", "level_db_spl": float(rng.uniform(50, 64)), "per_minute": 250}],
        1: [
            {"kind": "knocks", "level_db_spl": float(rng.uniform(70, 88)), "per_minute": 2},
            {"kind": "bark", "level_db_spl": float(rng.uniform(60, 75)), "per_minute": 3},
        ],
    }.get(number, [])


def _with_moments(sound, spec, rng):
    """With a sneeze and a laugh, and now and then a word of somebody else in a pause."""
    loud = np.percentile(np.abs(sound), 99.0)
    for at_s, long_s, times in ((7.0, 0.3, 2.0), (31.0, 1.2, 1.0)):
        at, count = round(at_s * 48_000), round(long_s * 48_000)
        shape = np.hanning(count) * (1.0 + np.sin(2.0 * np.pi * 5.0 * np.arange(count) / 48_000))
        sound[at : at + count] += times * loud * shape * 0.3 * rng.standard_normal(count)
    if rng.random() < 0.5:
        other = rig_of(read_anew(spec, rng)).take("talk", seconds=PAUSE_S)
        for turn in range(int(len(sound) / 48_000 / (TALK_S + PAUSE_S))):
            at = round((turn * (TALK_S + PAUSE_S) + TALK_S) * 48_000)
            sound[at : at + len(other)] += 10.0 ** (rng.uniform(-26.0, -16.0) / 20.0) * other
    return sound


def hour_of(parts, rng, minutes=60.0):
    """Pieces of an hour of such a day, in another order each time."""
    found = []
    while len(found) * 2.0 < 60.0 * minutes:
        found += parts[rng.integers(len(parts))]
    return found
