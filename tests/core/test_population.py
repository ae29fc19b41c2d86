"""The advice on tone over a population: talkers whose spectra differ as those of people do, rigs of
known colour. Error of the correction against the colour, dB rms from 160 Hz to 7 kHz, mean over the
talkers."""

import numpy as np
import pytest

from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import same_voice
from obsidian_wren.core.measure.readings import read_talk
from population import (
    SPREAD_DB,
    colour_db,
    coloured,
    deviation_db,
    judge,
    quiet_under,
    rms_around_mean,
    talker,
)
from signals import RATE

TALKERS = range(12)


@pytest.fixture(scope="module")
def people():
    """Readings of 20 s of each talker, and the room 45 dB under it."""
    found = []
    for number in TALKERS:
        sound = talker(number, 20.0)
        found.append((read_talk(sound, rate_hz=RATE), quiet_under(sound, 45.0, number), sound))
    return found


def judged(people, rms_db, aims=lambda number, colour: ToneAims()):
    return [
        judge(
            coloured(reading, colour_db(number, rms_db)),
            quiet,
            colour_db(number, rms_db),
            aims(number, colour_db(number, rms_db)),
        )
        for number, (reading, quiet, _) in enumerate(people)
    ]


def test_the_talkers_differ_as_people_do(people):
    spread = [rms_around_mean(deviation_db(reading)) for reading, _, _ in people]
    assert SPREAD_DB[0] - 0.8 <= min(spread) and max(spread) <= SPREAD_DB[1] + 0.8
    assert 3.5 <= np.mean(spread) <= 5.0


@pytest.mark.parametrize("rms_db, bar_db", [(0.0, 2.0), (3.0, 2.5), (6.0, 3.8)])
def test_a_voice_alone_tells_part_of_the_rig(people, rms_db, bar_db):
    """Of the 3.6 dB that 6 dB rms leave, the caps of +4 and −6 dB cost 0.3."""
    found = judged(people, rms_db)
    assert np.mean([each.left_db for each in found]) <= bar_db
    for each in found:
        for named in each.tone.bands:
            assert -6.0 <= named.band.gain_db <= 4.0


def test_the_truth_is_inside_what_is_said_of_it(people):
    inside = [each.inside for rms_db in (0.0, 3.0, 6.0) for each in judged(people, rms_db)]
    assert 0.55 <= np.mean(inside) <= 0.80


@pytest.mark.parametrize("rms_db", [0.0, 3.0, 6.0])
def test_a_microphone_file_tells_nearly_all(people, rms_db):
    """The file is off by 0.7 dB rms itself."""
    found = judged(
        people,
        rms_db,
        lambda number, colour: ToneAims(mic_response_db=colour + colour_db(100 + number, 0.7)),
    )
    assert np.mean([each.left_db for each in found]) <= 1.2


@pytest.mark.parametrize("rms_db, bar_db", [(0.0, 0.25), (3.0, 0.25), (6.0, 0.4)])
def test_a_reference_take_tells_all(people, rms_db, bar_db):
    """Six decibels rms ask for more than the caps of +9 and −12 dB at some points."""
    found = judged(
        people,
        rms_db,
        lambda number, colour: ToneAims(same_voice(people[number][0].voice, corridor_db=0.3)),
    )
    assert np.mean([each.left_db for each in found]) <= bar_db
