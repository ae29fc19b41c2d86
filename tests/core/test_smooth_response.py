"""What a response likely is between bands of different certainty."""

import numpy as np
import pytest

from obsidian_wren.core.prove.relative import likely_response
from obsidian_wren.core.prove.sounding import VOICE_HZ


def bell(hz, gain_db, q):
    return gain_db / (1.0 + (q * (VOICE_HZ / hz - hz / VOICE_HZ)) ** 2)


def test_bands_that_a_room_bent_come_nearer_to_the_truth_and_say_how_near():
    truth = bell(300.0, 4.0, 1.2) + bell(4000.0, -5.0, 1.5) + 0.5 * np.log2(VOICE_HZ / 1000.0) + 7.0
    rng = np.random.default_rng(4)
    before, after, said = [], [], []
    for _ in range(40):
        heard = truth + rng.normal(0.0, 1.0, len(VOICE_HZ))
        found, error = likely_response(VOICE_HZ, heard, np.ones(len(VOICE_HZ)))
        before.append(np.std(heard - truth))
        after.append(np.std(found - truth))
        said.append(np.mean(error))
    assert np.mean(after) < 0.75 * np.mean(before)
    assert np.mean(after) == pytest.approx(np.mean(said), rel=0.3)


def test_what_is_certain_stays_as_it_was_heard():
    heard = bell(1000.0, 6.0, 2.0)
    found, error = likely_response(VOICE_HZ, heard, np.full(len(VOICE_HZ), 0.01))
    np.testing.assert_allclose(found, heard, atol=0.02)
    assert np.all(error < 0.02)


def test_a_band_that_is_not_known_stays_unknown_and_bends_nothing():
    heard = bell(1000.0, 6.0, 2.0)
    errors = np.full(len(VOICE_HZ), 0.3)
    whole, _ = likely_response(VOICE_HZ, heard, errors)
    lost, errors_lost = heard.copy(), errors.copy()
    lost[[0, -1]], errors_lost[[0, -1]] = np.nan, 1e3
    found, error = likely_response(VOICE_HZ, lost, errors_lost)
    assert np.isnan(found[[0, -1]]).all()
    assert list(error[[0, -1]]) == [1e3, 1e3]
    np.testing.assert_allclose(found[3:-3], whole[3:-3], atol=0.1)
