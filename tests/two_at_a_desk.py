"""Two people and two microphones at one desk, of known spill."""

from functools import lru_cache

import numpy as np
import scipy.signal

from obsidian_wren.core.mix import spill
from obsidian_wren.simulation.acoustics import talker_sound

RATE = 48_000
S = RATE
SPILL_DB = -12.0


def decaying(rng):
    """A room's way to another microphone: a first wave, and what falls 60 dB in 0.3 s."""
    at = np.arange(round(0.3 * RATE))
    way = 0.02 * rng.standard_normal(len(at)) * 10.0 ** (-3.0 * at / (0.3 * RATE))
    way[0] = 1.0
    return 10.0 ** (SPILL_DB / 20.0) * way / np.sqrt(np.sum(way**2))


class Desk:
    """Two people and two microphones: what these hear, and what each holds of the other person."""

    def __init__(self):
        rng = np.random.default_rng(4)
        self.said = [0.05 * talker_sound(part, RATE) for part in ("talk", "passage")]
        self._ways = [decaying(rng), decaying(rng)]

    def heard(self, first, second, late=0):
        rng = np.random.default_rng(7)
        other = [
            scipy.signal.oaconvolve(sound, way)[: len(sound)]
            for sound, way in zip((second, first), self._ways, strict=True)
        ]
        mics = [
            own + there + 10.0 ** (-65.0 / 20.0) * rng.standard_normal(len(own))
            for own, there in zip((first, second), other, strict=True)
        ]
        mics[1] = np.concatenate([np.zeros(late), mics[1]])[: len(first)]
        return mics, other

    def measured(self, late=0):
        silent = np.zeros(10 * S)
        one, other = (sound[: 10 * S] for sound in self.said)
        mics, _ = self.heard(one, silent, late)
        first = spill.measure_spill(mics[0], mics[1], rate_hz=RATE)
        mics, _ = self.heard(silent, other, late)
        return first, spill.measure_spill(mics[1], mics[0], rate_hz=RATE)

    def in_turn(self, seconds):
        """Four seconds each, without a pause between; and whose turn it is."""
        turn = np.arange(seconds * S) // (4 * S) % 2
        return [self.said[k][: seconds * S] * (turn == k) for k in (0, 1)], turn


def lost_db(sound, gain):
    """What gains for each sample take from a sound, dB."""
    return 10.0 * np.log10(np.sum(sound**2) / np.sum((sound * gain) ** 2))


@lru_cache(maxsize=1)
def desk():
    return Desk()


@lru_cache(maxsize=1)
def both():
    """The spill both ways, as it is measured there."""
    return desk().measured()
