"""A blind series against what chance does."""

import random

import pytest
import scipy.stats

from obsidian_wren.core.prove.series import at_least, chance_range, draw, tally


def test_the_order_is_balanced_and_cannot_be_guessed():
    rng = random.Random(5)
    orders = [draw(12, rng) for _ in range(2000)]
    assert {sum(order) for order in orders} == {6}
    for place in range(12):
        share = sum(order[place] for order in orders) / 2000
        assert share == pytest.approx(0.5, abs=0.05)
    odd = [sum(draw(9, rng)) for _ in range(500)]
    assert set(odd) == {4, 5}
    for wrong in (7, 25):
        with pytest.raises(ValueError, match="8 to 24"):
            draw(wrong, rng)


@pytest.mark.parametrize("rounds", [8, 12, 16, 24])
def test_the_tail_is_the_exact_binomial(rounds):
    for hits in range(rounds + 1):
        exact = scipy.stats.binom.sf(hits - 1, rounds, 0.5)
        assert at_least(rounds, hits) == pytest.approx(exact, rel=1e-12)
    low, high = chance_range(rounds)
    inside = scipy.stats.binom.cdf(high, rounds, 0.5) - scipy.stats.binom.cdf(low - 1, rounds, 0.5)
    tighter = scipy.stats.binom.cdf(high - 1, rounds, 0.5) - scipy.stats.binom.cdf(low, rounds, 0.5)
    assert inside >= 0.95 > tighter


def test_answers_are_counted_for_the_sound_and_not_for_its_name():
    order = (True, False) * 8
    right = ["one", "other"] * 8
    found = tally(order, right, kind="which")
    assert (found.first, found.rounds, found.heard) == (16, 16, True)
    assert found.p == pytest.approx(2.0**-16)
    # Who always says the same name says nothing.
    assert tally(order, ["one"] * 16, kind="which").first == 8
    assert not tally(order, ["one"] * 16, kind="prefer").heard
    assert tally(order, ["other", "one"] * 8, kind="prefer").heard


def test_no_difference_counts_half_and_never_towards_hearing():
    order = (True,) * 4 + (False,) * 4
    found = tally(order, ["same"] * 8, kind="which")
    assert (found.first, found.same, found.heard) == (4.0, 8, False)
    mixed = tally(order, ["one"] * 4 + ["other"] * 3 + ["same"], kind="which")
    assert mixed.first == 7.5
    assert mixed.p == pytest.approx(at_least(8, 7))


def test_a_series_that_was_left_early_is_never_heard():
    order = draw(12, random.Random(1))
    named = ["one" if is_one else "other" for is_one in order]
    assert not tally(order, named[:7], kind="which").heard
    assert tally(order, named[:8], kind="which").heard


def test_guessing_is_called_heard_as_seldom_as_it_is_said():
    rng = random.Random(9)
    heard = 0
    for _ in range(2000):
        order = draw(16, rng)
        guesses = [rng.choice(["one", "other"]) for _ in order]
        heard += tally(order, guesses, kind="which").heard
    assert heard / 2000 < 0.05
