"""What treating changed of one passage, against changes that are known."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.filters import EqualizerBand, band_section
from obsidian_wren.core.derive.learned import MovingKind
from obsidian_wren.core.measure.words import find_words
from obsidian_wren.core.prove.before_after import before_after, sentences
from signals import RATE, room, voice

ROOM = 2e-3


def compared(treat, rms=ROOM):
    speech, under = voice("passage"), None
    under = room(rms, len(speech) / RATE + 0.1)[: len(speech)]
    words = find_words(speech + under, rate_hz=RATE, room_dbfs=20 * np.log10(rms) + 4.0)
    return before_after(speech + under, treat(speech, under), rate_hz=RATE, words=words)


@pytest.mark.parametrize("gain_db", [0.0, 9.0, -6.0])
def test_a_room_falls_by_what_it_falls_against_the_voice(gain_db):
    gain = 10 ** (gain_db / 20)
    found = compared(lambda speech, under: gain * (speech + 0.1 * under))
    fall = found.room_before_dbfs_a - found.room_after_dbfs_a
    assert fall == pytest.approx(20.0, abs=0.8)
    assert found.raised_db == pytest.approx(gain_db, abs=0.2)
    assert sentences(found) == ("Your room is 20 dB quieter in pauses.",)
    rooms = [each for each in found.before.room_dbfs_a if each is not None]
    assert np.median(rooms) == pytest.approx(found.room_before_dbfs_a, abs=1.0)


def test_what_stays_as_it_is_is_said_in_one_sentence():
    found = compared(lambda speech, under: 0.5 * (speech + under))
    assert sentences(found) == (
        "Your rig needed next to nothing: room, level and tone stay as they are.",
    )
    for low, high in zip(found.before.low_dbfs, found.before.high_dbfs, strict=True):
        assert low is None or low <= high


@pytest.mark.parametrize(
    ("hz", "gain_db", "said"),
    [
        (130.0, -5.0, "5 dB of boom around 130 Hz are gone."),
        (6_500.0, -4.0, "4 dB of sharp sibilants around 6.5 kHz are gone."),
        (3_200.0, 4.0, "Your voice has 4 dB more clarity around 3.2 kHz."),
    ],
)
def test_a_change_of_tone_is_found_where_it_is(hz, gain_db, said):
    bell = band_section(EqualizerBand("peak", hz, gain_db, 1.0), rate_hz=RATE)
    found = compared(lambda s, u: scipy.signal.sosfilt(bell[None, :], s + u), rms=1e-4)
    assert np.log2(found.tone_hz / hz) == pytest.approx(0.0, abs=0.3)
    assert found.tone_db == pytest.approx(gain_db, abs=1.3)
    word = said.split(" around")[0].split(" ", 2)[-1]
    assert any(word.split()[-1] in each for each in sentences(found))


def test_a_level_that_is_held_is_narrower():
    def held(speech, under):
        block = RATE // 10
        whole = (speech + under)[: len(speech) // block * block].reshape(-1, block)
        rms = np.sqrt(np.mean(whole**2, axis=1, keepdims=True))
        return (whole * np.minimum(20.0, 0.05 / rms) ** 0.7).ravel()

    found = compared(held, rms=1e-4)
    assert found.width_after_db < found.width_before_db - 2.0
    assert any("stays within" in each for each in sentences(found))


def test_at_most_three_sentences_and_what_moves_by_its_loudest_kind():
    bell = band_section(EqualizerBand("peak", 150.0, -6.0, 1.0), rate_hz=RATE)
    found = compared(lambda s, u: scipy.signal.sosfilt(bell[None, :], s + 0.1 * u))
    kinds = (MovingKind("keys", 3.0, -50.0, -69.0), MovingKind("knock", 1.0, -60.0, -90.0))
    said = sentences(found, kinds)
    assert len(said) == 3
    assert said[1] == "Keys are 19 dB lower."


def test_where_nobody_speaks_nothing_is_compared():
    under = room(ROOM, 5.0)
    assert before_after(under, under, rate_hz=RATE, words=()) is None
