"""What is remembered: as much as a budget allows, and the same whether it was held or made."""

from dataclasses import dataclass

import numpy as np
import pytest

from obsidian_wren.core.derive.take_set import Sounds
from obsidian_wren.service.context.cache import Cache
from obsidian_wren.service.context.light import bytes_of, full, light

LONG = 100_000


@dataclass(frozen=True)
class Takes:
    sounds: Sounds
    seconds: float


@dataclass(frozen=True)
class Sound:
    talk: np.ndarray
    beside: tuple[np.ndarray | None, ...]
    name: str = "it"


def sound(seed):
    rng = np.random.default_rng(seed)
    return Sound(rng.normal(0.0, 0.1, LONG), (rng.normal(0.0, 0.1, LONG), None))


def test_what_is_held_takes_half_and_comes_back_in_full():
    made = sound(1)
    before = made.talk.copy()
    held = light(made)
    assert held.talk.dtype == held.beside[0].dtype == np.float32
    assert bytes_of(held) == pytest.approx(bytes_of(made) / 2, rel=0.01)
    back = full(held)
    assert back.talk.dtype == np.float64
    assert back.beside[1] is None
    assert back.name == "it"
    # 150 dB under the sample itself.
    np.testing.assert_allclose(back.talk, before, rtol=10 ** (-140 / 20))
    # What was made goes on as it is held.
    np.testing.assert_array_equal(made.talk, back.talk)


def test_what_had_32_bits_before_is_shared():
    likelihoods = np.zeros(LONG, np.float32)
    made = Sounds(np.zeros(LONG), np.ones(LONG), None, (likelihoods, None, None))
    assert full(light(made)).likelihoods_db[0] is likelihoods


def test_samples_of_24_bits_lose_nothing():
    samples = np.random.default_rng(2).integers(-(2**23), 2**23, LONG) / 2**23
    np.testing.assert_array_equal(full(light(samples)), samples)


def test_numbers_about_sounds_stay_as_they_are():
    curve = np.linspace(0.0, 1.0, 93)
    assert light(curve) is curve
    assert light("talk") == "talk"


def test_the_budget_holds_and_the_oldest_goes_first():
    budget = 3 * bytes_of(light(sound(0)))
    held, made = Cache(most_bytes=budget), []

    def ask(seed):
        return held.get(seed, lambda: made.append(seed) or sound(seed))

    for seed in (1, 2, 3):
        ask(seed)
    ask(1)
    ask(4)
    assert held.bytes_held <= budget
    ask(1)
    assert made == [1, 2, 3, 4]
    ask(2)
    assert made == [1, 2, 3, 4, 2]


def test_it_makes_no_difference_whether_it_was_held():
    held = Cache(most_bytes=10 * bytes_of(sound(0)))
    first, again = (held.get("it", lambda: sound(5)) for _ in range(2))
    np.testing.assert_array_equal(first.talk, again.talk)


def test_what_is_larger_than_the_budget_is_made_each_time():
    held, made = Cache(most_bytes=1000), []
    for _ in range(2):
        held.get("it", lambda: made.append(1) or sound(6))
    assert made == [1, 1]
    assert held.bytes_held == 0


def test_what_failed_is_not_held():
    held = Cache(4)
    with pytest.raises(ValueError, match="no"):
        held.get("it", lambda: int("no"))
    assert held.get("it", lambda: 3) == 3


def test_a_record_within_a_record_is_held_in_32_bits_too():
    talk, rest = (np.random.default_rng(seed).normal(0.0, 0.1, LONG) for seed in (1, 2))
    made = Takes(Sounds(talk, rest, None, known={"loudness": -20.0}), 45.0)
    held = light(made)
    assert bytes_of(held) == pytest.approx(8 * LONG, rel=0.01)
    back = full(held)
    assert (back.seconds, back.sounds.in_use, back.sounds.known) == (45.0, None, made.sounds.known)
    np.testing.assert_array_equal(back.sounds.rest, rest.astype(np.float32))
