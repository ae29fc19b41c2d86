"""A taste found by ear, of listeners whose taste is known."""

import numpy as np
import pytest

from listeners import Indifferent, Listener, asked, rms
from obsidian_wren.core.prove.preference import (
    LIMIT_DB,
    MOST_PAIRS,
    SEARCHED,
    Judged,
    find,
    next_pair,
)


@pytest.mark.parametrize("utility", ["distance", "square"])
def test_a_taste_is_found_in_at_most_fourteen_pairs(utility):
    errors, known = [], []
    for seed in range(500, 508):
        listener = Listener(seed, utility)
        found, pairs = asked(listener, seed)
        assert pairs <= MOST_PAIRS
        errors.append(rms(np.array(found.ideal_db) - listener.ideal))
        known.append(found.convinces)
    assert np.median(errors) <= 1.8
    assert sum(known) >= 6


@pytest.mark.parametrize("says", [("same",), ("one", "other"), ("one", "other", "same")])
def test_who_has_no_taste_is_left_alone(says):
    found = [asked(Indifferent(seed, says), seed)[0] for seed in range(600, 606)]
    assert sum(each.convinces for each in found) <= 1


def test_a_contradiction_convinces_nobody():
    far, near = (4.0, 0.0, 0.0, 0.0, 0.0), (0.0,) * 5
    judged = [Judged(*((far, near) if k % 2 else (near, far)), "one") for k in range(MOST_PAIRS)]
    found = find(judged)
    assert not found.convinces
    assert found.preferred == MOST_PAIRS
    assert found.agrees == MOST_PAIRS // 2


def test_every_pair_lies_within_reach_and_differs():
    judged, rng, listener = [], np.random.default_rng(3), Listener(9)
    for _turn in range(SEARCHED + 2):
        one, other = next_pair(judged, rng)
        assert one != other
        assert max(map(abs, (*one, *other))) <= LIMIT_DB
        judged.append(Judged(one, other, listener(one, other)))


def test_who_hears_no_difference_at_all_is_not_kept():
    same = [Judged((1.0,) * 5, (-1.0,) * 5, "same")] * SEARCHED
    assert next_pair(same, np.random.default_rng(1)) is None
    assert not find(same).convinces
