"""What is remembered: as much as a budget allows, and the same whether it was held or made."""

import tempfile
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest

from obsidian_wren.service.workshop.light import bytes_of, full, laid_aside, light
from obsidian_wren.service.workshop.remembered import Remembered

LONG = 100_000


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
    held = light(made)
    assert held.talk.dtype == held.beside[0].dtype == np.float32
    assert bytes_of(held) == pytest.approx(bytes_of(made) / 2, rel=0.01)
    back = full(held)
    assert back.talk.dtype == np.float64
    assert back.beside[1] is None
    assert back.name == "it"
    # 150 dB under the sample itself.
    np.testing.assert_allclose(back.talk, made.talk, rtol=10 ** (-140 / 20))


def test_what_is_laid_aside_comes_back_and_leaves_no_file(tmp_path):
    made = sound(1)
    aside = laid_aside(made, tmp_path)
    assert bytes_of(aside) == bytes_of(light(made))
    assert not [part for part in (aside.talk, *aside.beside) if isinstance(part, np.ndarray)]
    assert list(tmp_path.iterdir()) == []
    with ThreadPoolExecutor(4) as pool:
        for back in pool.map(full, [aside] * 40):
            np.testing.assert_array_equal(back.talk, full(light(made)).talk)
            np.testing.assert_array_equal(back.beside[0], full(light(made)).beside[0])
            assert (back.beside[1], back.name) == (None, "it")


@pytest.mark.parametrize("why", ["no folder", "disk full"])
def test_where_the_disk_takes_nothing_it_stays_in_memory(tmp_path, monkeypatch, why):
    made, folder = sound(2), tmp_path
    if why == "no folder":
        folder = tmp_path / "gone"
    else:
        nothing_more = Path("/dev/full")
        monkeypatch.setattr(
            tempfile, "TemporaryFile", lambda dir, buffering: nothing_more.open("w+b", buffering)
        )
    held = Remembered(most_bytes=10 * bytes_of(made), aside=folder)
    for _ in range(2):
        np.testing.assert_array_equal(held.get("it", lambda: made).talk, full(light(made)).talk)
    assert held.bytes_held == bytes_of(light(made))


def test_samples_of_24_bits_lose_nothing():
    samples = np.random.default_rng(2).integers(-(2**23), 2**23, LONG) / 2**23
    np.testing.assert_array_equal(full(light(samples)), samples)


def test_numbers_about_sounds_stay_as_they_are():
    curve = np.linspace(0.0, 1.0, 93)
    assert light(curve) is curve
    assert light("talk") == "talk"


def test_the_budget_holds_and_the_oldest_goes_first():
    budget = 3 * bytes_of(light(sound(0)))
    held, made = Remembered(most_bytes=budget), []

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
    held = Remembered(most_bytes=10 * bytes_of(sound(0)))
    first, again = (held.get("it", lambda: sound(5)) for _ in range(2))
    np.testing.assert_array_equal(first.talk, again.talk)


def test_what_is_larger_than_the_budget_is_made_each_time():
    held, made = Remembered(most_bytes=1000), []
    for _ in range(2):
        held.get("it", lambda: made.append(1) or sound(6))
    assert made == [1, 1]
    assert held.bytes_held == 0


def test_what_failed_is_not_held():
    held = Remembered(4)
    with pytest.raises(ValueError, match="no"):
        held.get("it", lambda: int("no"))
    assert held.get("it", lambda: 3) == 3
