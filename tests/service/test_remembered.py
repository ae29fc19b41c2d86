"""What is remembered: as much as a budget allows, and the same whether it was held or made."""

import tempfile
import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest

from obsidian_wren.core.derive.take_set import Sounds
from obsidian_wren.service.calibration.later import later
from obsidian_wren.service.workshop.light import _Nameless, bytes_of, full, laid_aside, light
from obsidian_wren.service.workshop.remembered import Remembered
from waiting import PATIENCE_S, wait_until

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
    aside.talk.tried.result()
    assert aside.talk._array is None
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


def test_a_record_within_a_record_is_laid_aside_too(tmp_path):
    talk, rest = (np.random.default_rng(seed).normal(0.0, 0.1, LONG) for seed in (1, 2))
    made = Takes(Sounds(talk, rest, None, known={"loudness": -20.0}), 45.0)
    aside = laid_aside(made, tmp_path)
    assert not isinstance(aside.sounds.talk, np.ndarray)
    assert bytes_of(aside) == pytest.approx(8 * LONG, rel=0.01)
    back = full(aside)
    assert (back.seconds, back.sounds.in_use, back.sounds.known) == (45.0, None, made.sounds.known)
    np.testing.assert_array_equal(back.sounds.rest, rest.astype(np.float32))


def test_sounds_are_read_when_they_are_asked_for_and_what_is_known_of_them_before(tmp_path):
    talk, rest = (np.random.default_rng(seed).normal(0.0, 0.1, LONG) for seed in (1, 2))
    remembered = Remembered(most_bytes=10**8, aside=tmp_path)
    made = remembered.held("takes", lambda: Sounds(talk, rest, None, (talk, None, None)))
    sounds = later(made)
    # Whatever is worked out of them is known wherever they are asked for again.
    sounds.known["loudness"] = -20.0
    again = later(remembered.held("takes", lambda: pytest.fail("made twice")))
    assert again.known == {"loudness": -20.0}
    np.testing.assert_array_equal(again.talk, talk.astype(np.float32))
    assert again.talk is again.talk
    assert again.in_use is None
    made.rest.tried.result()
    made.rest.file._file.close()
    with pytest.raises(ValueError, match="closed file"):
        _ = again.rest
    np.testing.assert_array_equal(again.talk, talk.astype(np.float32))


def test_a_slow_disk_is_waited_for(tmp_path, monkeypatch):
    """Otherwise what a held key makes would pile up in memory."""
    given, waiting = threading.Event(), []
    monkeypatch.setattr(_Nameless, "write", lambda *_: given.wait(PATIENCE_S))

    def lay_aside():
        for seed in range(20):
            waiting.append(laid_aside(sound(seed).talk, tmp_path))

    thread = threading.Thread(target=lay_aside)
    thread.start()
    wait_until(lambda: len(waiting) >= 5)
    thread.join(0.5)
    assert thread.is_alive()
    assert len(waiting) < 20
    given.set()
    thread.join(PATIENCE_S)
    assert len(waiting) == 20
