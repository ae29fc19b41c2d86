"""What a check says of rigs that something secret happened to."""

import numpy as np
import pytest

from drift_worlds import CODES, happened, heard
from obsidian_wren.core.prove.drift import find_drift
from obsidian_wren.core.prove.drift_words import say
from obsidian_wren.core.prove.moved import readings_of

STILL = {"seed": 40, "placement": {"distance_m": 0.22}, "interface": {"gain_db": 27}}


@pytest.fixture(scope="module")
def then():
    return heard(STILL)


@pytest.mark.parametrize("seed", range(3000, 3006))
def test_another_reading_of_the_sentence_is_no_drift(seed):
    before, after, _, distance_m = happened(seed, [], another_reading=True)
    for known in (None, distance_m):
        found = find_drift(before, after, distance_m=known)
        assert (found.drifted, found.causes) == (False, ())


@pytest.mark.parametrize("kind", list(CODES))
@pytest.mark.parametrize("seed", [1100, 1108])
def test_the_cause_of_one_change_is_named(kind, seed):
    before, after, (number,), distance_m = happened(seed, [kind], another_reading=False)
    found = find_drift(before, after, distance_m=distance_m)
    first = found.causes[0]
    assert found.drifted
    assert first.code == CODES[kind]
    assert first.share > 0.5
    if kind == "gain":
        assert first.estimate == pytest.approx(number, abs=0.3)
    if kind == "distance":
        assert first.estimate == pytest.approx(number, rel=0.15)
        assert (first.then, first.unit) == (pytest.approx(100 * distance_m, rel=0.1), "cm")


@pytest.mark.parametrize(
    "kinds", [("gain", "distance"), ("fan", "gain"), ("hum", "slider"), ("angle", "window")]
)
def test_two_changes_at_once_are_both_told(kinds):
    before, after, _, distance_m = happened(2101, kinds, another_reading=False)
    found = find_drift(before, after, distance_m=distance_m)
    assert {CODES[kind] for kind in kinds} <= {cause.code for cause in found.causes}
    shares = [cause.share for cause in found.causes]
    assert shares == sorted(shares, reverse=True)
    assert sum(shares) <= 1.01


@pytest.mark.parametrize("kind", ["gain", "fan", "hum", "processing"])
def test_what_is_large_is_found_in_another_reading_too(kind):
    before, after, _, _ = happened(1101, [kind], another_reading=True)
    assert find_drift(before, after).causes[0].code == CODES[kind]


def test_a_pop_screen_dulls_the_voice_and_not_the_room(then):
    duller = {"bells": [{"frequency_hz": 12_000, "gain_db": -5, "q": 0.4}], "self_noise_dba": 14}
    after = heard({**STILL, "seed": 41, "microphone": duller})
    # The room's bands do not know of it: only the voice is duller.
    after = type(after)(**{**vars(after), "noise_db": then.noise_db})
    first = find_drift(then, after).causes[0]
    assert (first.code, first.estimate < 0) == ("screen", True)


def test_another_microphone_colours_voice_and_room_alike(then):
    bells = [
        {"frequency_hz": 300, "gain_db": 7, "q": 0.8},
        {"frequency_hz": 4000, "gain_db": -8, "q": 0.9},
    ]
    louder_room = {"noises": [{"kind": "white", "level_db_spl": 40}]}
    before = heard({**STILL, **louder_room})
    after = heard({**STILL, **louder_room, "seed": 41, "microphone": {"bells": bells}})
    assert find_drift(before, after).causes[0].code == "microphone"


def test_a_voice_that_speaks_up_is_the_voice(then):
    after = heard({**STILL, "seed": 41, "talker": {"normal_db_spl": 66.0, "reading": 8}})
    (cause,) = find_drift(then, after).causes
    assert cause.code == "voice"
    assert cause.estimate == pytest.approx(6.0, abs=1.5)


def test_a_pad_is_a_pad_and_full_scale_under_full_scale_a_slider():
    loud = {**STILL, "interface": {"gain_db": 40}}
    before = heard(loud)
    after = heard({**loud, "seed": 41, "interface": {"gain_db": 20}})
    assert find_drift(before, after).causes[0].code == "pad"


def test_a_shorter_part_of_the_text_is_no_drift(then):
    half = heard(STILL | {"seed": 42})
    short = type(half)(**{**vars(half), "seconds": half.seconds / 2.0})
    covers = find_drift(then, short).change.covariance
    whole = find_drift(then, half).change.covariance
    assert np.all(np.diag(covers)[:20] > np.diag(whole)[:20])


def test_the_words_name_what_to_put_back(then):
    after = heard({**STILL, "seed": 41, "interface": {"gain_db": 30}})
    found = find_drift(then, after, distance_m=0.22)
    said = say(found.causes[0], found)
    assert "3.0 dB higher" in said.sentence
    assert said.action.startswith("Turn it down by 3.0 dB")
    rows = {row.name: row for row in readings_of(found.change)}
    assert rows["noise_floor_dbfs"].beyond
    assert rows["active_level_dbfs"].now - rows["active_level_dbfs"].then == pytest.approx(
        3, abs=0.1
    )
    assert not rows["snr_db"].beyond
    assert not rows["tone_db"].beyond
