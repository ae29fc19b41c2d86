import numpy as np
import pytest

from obsidian_wren.core.measure.channels import choose_channel
from obsidian_wren.core.measure.faults import BadTake, check
from signals import RATE, noise, sine, voice


@pytest.mark.parametrize(
    "sound, purpose, code",
    [
        (np.zeros(0), "level", "empty"),
        (noise(0.01, 2.0), "rest", "too-short"),
        (np.zeros(5 * RATE), "talk", "silent"),
        (np.full(5 * RATE, 0.2), "talk", "constant"),
        (np.clip(voice() * 200, -1, 1), "talk", "clipped-throughout"),
        (np.where(np.arange(5 * RATE) == 99, np.nan, 0.1), "rest", "not-finite"),
        (np.where(np.arange(5 * RATE) == 99, np.inf, 0.1), "level", "not-finite"),
        (noise(0.01, 6.0), "talk", "no_voice_in_talk"),
        (sine(100, -20, 6.0), "talk", "no_voice_in_talk"),
        (voice() + noise(1e-4, len(voice()) / RATE), "rest", "voice_in_quiet"),
    ],
)
def test_each_fault_has_its_code_and_a_sentence_that_says_what_to_do(sound, purpose, code):
    with pytest.raises(BadTake) as caught:
        check(sound, rate_hz=RATE, purpose=purpose)
    assert caught.value.code == code
    assert len(str(caught.value)) > 30


def test_telephone_sound_cannot_be_fitted_but_can_be_read():
    phone = voice(rate_hz=8_000)
    check(phone, rate_hz=8_000, purpose="talk")
    with pytest.raises(BadTake, match="telephone"):
        check(phone, rate_hz=8_000, purpose="passage")


def test_good_takes_pass():
    assert check(voice(), rate_hz=RATE, purpose="passage") == ()
    assert check(noise(1e-3, 5.0) + sine(50, -50, 5.0), rate_hz=RATE, purpose="rest") == ()


def test_silence_is_only_noted_when_levels_are_asked_for():
    assert [note.code for note in check(np.zeros(RATE), rate_hz=RATE, purpose="level")] == [
        "silent"
    ]


def test_channels():
    alive, dead = noise(0.01, 1.0), np.zeros(RATE)
    pair = np.stack([dead, alive], axis=1)
    chosen, notes = choose_channel(pair, None)
    assert np.array_equal(chosen, alive)
    assert notes[0].code == "channel_dead"
    with pytest.raises(BadTake, match="Choose channel 2"):
        choose_channel(pair, 1)
    with pytest.raises(BadTake, match="no channel 3"):
        choose_channel(pair, 3)
