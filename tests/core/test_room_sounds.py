"""A voice in a take of a room is told from knocks and from what else has a melody."""

import pytest

from moving_noise import MOVING, moving
from moving_noise import RATE as NOISE_HZ
from obsidian_wren.core.measure.faults import BadTake, check
from obsidian_wren.core.measure.room_sounds import moving_sound
from obsidian_wren.core.measure.speech import find_voice
from signals import RATE, noise, sine, voice

SECONDS = 8.0


def take(kind, seed, level=0.03):
    sound = moving(kind, seed, SECONDS)
    return level * sound + noise(3e-4, SECONDS)[: len(sound)]


def said_of(sound):
    return moving_sound(sound, find_voice(sound, rate_hz=NOISE_HZ), rate_hz=NOISE_HZ)


@pytest.mark.parametrize("kind", MOVING)
def test_what_moves_in_a_room_is_no_voice(kind):
    found = [said_of(take(kind, seed)) for seed in range(5)]
    assert not [each for each in found if each is not None and each.kind == "voice"]


@pytest.mark.parametrize(("kind", "sound"), [("music", "melody"), ("thumps", "knocks")])
def test_a_melody_and_knocks_are_told_apart(kind, sound):
    found = [said_of(take(kind, seed)) for seed in range(5)]
    assert [each.kind for each in found if each is not None].count(sound) >= 4


@pytest.mark.parametrize("kind", [None, "keys", "thumps", "street", "music"])
def test_a_voice_is_found_beside_what_moves(kind):
    talk = 0.03 / 0.05 * voice()[: round(SECONDS * RATE)]
    beside = 0.0 if kind is None else take(kind, 3, 0.01)[: len(talk)]
    found = said_of(talk + beside)
    assert found is not None
    assert found.kind == "voice"


def test_a_room_in_use_may_hold_what_moves_and_a_room_at_rest_no_melody():
    tune, knocks = take("music", 1), take("thumps", 1)
    for sound in (tune, knocks):
        (note,) = check(sound, rate_hz=NOISE_HZ, purpose="in-use")
        assert note.code == "moves_in_use"
    with pytest.raises(BadTake) as caught:
        check(tune, rate_hz=NOISE_HZ, purpose="rest")
    assert caught.value.code == "melody_in_quiet"
    assert [note.code for note in check(knocks, rate_hz=NOISE_HZ, purpose="rest")] == [
        "knocks_in_quiet"
    ]


def test_a_steady_hum_does_not_move():
    hum = sum(sine(100.0 * k, -40.0 - 3.0 * k, SECONDS) for k in range(1, 6))
    assert said_of(hum + noise(1e-4, SECONDS)) is None
