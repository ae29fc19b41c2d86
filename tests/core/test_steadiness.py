"""Talk until it is steady."""

import numpy as np
import pytest

from obsidian_wren.core.derive.take_length import UNTIL_STEADY_S, why_ended
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.measure.steadiness import STEADY_DB, Steadiness, frames_of, how_steady
from signals import RATE, noise, voice


def test_steadiness_covers_the_truth_as_often_as_it_claims():
    """Talk of known spread, many times over: the level of the whole lies within the claimed
    error nine times in ten."""
    rng = np.random.default_rng(8)
    inside = 0
    for _ in range(60):
        words = np.repeat(rng.normal(0.0, 3.0, 120), 30)
        power = 10 ** ((words - 30.0) / 10) * rng.exponential(1.0, len(words))
        found = how_steady(power, 10 * np.log10(power) + 10)
        truth = 10 * np.log10(np.mean(10 ** ((rng.normal(0.0, 3.0, 200_000) - 30.0) / 10))) + 3.01
        inside += abs(found.active_level_dbfs - truth) <= found.active_error_db
    assert 47 <= inside <= 60


@pytest.mark.parametrize("part", ["talk", "passage"])
def test_talk_becomes_steady_and_is_then_as_well_known_as_said(part):
    sound = voice(part)
    power, peaks = frames_of(sound, rate_hz=RATE)
    whole = how_steady(power, peaks)
    for seconds in range(5, 46):
        found = how_steady(power[: seconds * 100], peaks[: seconds * 100])
        if found is not None and found.steady:
            break
    assert 12 <= seconds < 45
    assert found.active_level_dbfs == pytest.approx(whole.active_level_dbfs, abs=0.5)
    assert found.peak_dbfs == pytest.approx(whole.peak_dbfs, abs=0.5)
    assert how_steady(power[:300], peaks[:300]) is None
    assert how_steady(np.zeros(3000), np.full(3000, -200.0)) is None


@pytest.mark.parametrize(
    ("spoken_s", "active_db", "peak_db", "ends"),
    [
        (9.0, 0.2, 0.2, False),
        (10.0, 0.5, 0.5, True),
        (10.0, 0.2, 0.6, False),
        (19.0, 0.9, 0.9, False),
        (20.0, 0.9, 1.0, True),
        (60.0, 0.4, 1.1, False),
    ],
)
def test_talk_ends_once_it_is_known_and_lively_talk_once_what_is_left_decides_nothing(
    spoken_s, active_db, peak_db, ends
):
    steady = max(active_db, peak_db) <= STEADY_DB
    said = why_ended(Steadiness(-30.0, active_db, -12.0, peak_db, spoken_s, steady))
    assert (said is not None) == ends
    if said is not None:
        assert f"±{max(active_db, peak_db):.1f} dB" in said
    assert why_ended(None) is None


def test_talk_that_stays_uneven_ends_with_what_is_known_of_it():
    uneven = Steadiness(-30.0, 1.9, -12.0, 1.4, 31.0, False)
    assert why_ended(uneven, heard_s=43.0) is None
    assert "±1.9 dB" in why_ended(uneven, heard_s=UNTIL_STEADY_S)
    assert why_ended(None, heard_s=UNTIL_STEADY_S) is None


def talk(peak_dbfs, part="talk", quiet=None):
    return read_talk(
        voice(part, peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice(part)) / RATE),
        rate_hz=RATE,
        quiet=quiet,
    )
