"""The same text read once more: nobody says a sentence twice in quite the same way."""

from __future__ import annotations

import itertools

import numpy as np
import scipy
import soxr

from obsidian_wren.core.chain.filters import EqualizerBand, band_section
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs

# From one reading to the next, standard deviations: how loud all of it is and each phrase, how
# fast and how high, how bright, and how long the pauses are.
_LEVEL_DB, _PHRASE_DB, _SPEED, _TILT_DB, _PAUSE = 0.5, 0.8, 0.012, 0.5, 0.12
_UNDER_DB, _PAUSE_S, _FRAME_S = 32.0, 0.15, 0.01
_TILT_HZ = 1800.0


def read_again(voice: Samples, reading: int, rate_hz: int) -> Samples:
    """Samples ``(n,)`` of the same length: each phrase a little faster or slower, higher or lower,
    louder or softer, the pauses a little longer or shorter, all of it brighter or darker."""
    rng = np.random.default_rng([reading, 11])
    pieces = []
    for sound, is_phrase in _pieces(voice, rate_hz):
        if is_phrase:
            gain = amplitude_from_db(_PHRASE_DB * rng.standard_normal())
            pieces.append(gain * _played(sound, 1.0 + _SPEED * rng.standard_normal(), rate_hz))
        else:
            longer = np.clip(_PAUSE * rng.standard_normal(), -0.4, 0.4)
            pieces.append(_played(sound, 1.0 + longer, rate_hz))
    voice_again = np.resize(np.concatenate(pieces), len(voice))
    bright = _TILT_DB * rng.standard_normal()
    shelf = band_section(EqualizerBand("high_shelf", _TILT_HZ, bright, 0.5), rate_hz=rate_hz)
    level = amplitude_from_db(_LEVEL_DB * rng.standard_normal())
    return np.asarray(scipy.signal.sosfilt(shelf[None, :], voice_again) * level)


def _pieces(voice: Samples, rate_hz: int) -> list[tuple[Samples, bool]]:
    """The phrases and the pauses between them, in their order."""
    levels = frame_levels_dbfs(voice, rate_hz=rate_hz, frame_s=_FRAME_S)
    spoken = levels > levels.max() - _UNDER_DB
    # A short gap belongs to its phrase.
    gap = round(_PAUSE_S / _FRAME_S)
    spoken = np.convolve(spoken, np.ones(2 * gap + 1), "same") > 0
    turns = np.flatnonzero(np.diff(spoken.astype(int))) + 1
    edges = [0, *(turns * round(_FRAME_S * rate_hz)), len(voice)]
    return [
        (voice[first:last], bool(spoken[min(first // round(_FRAME_S * rate_hz), len(spoken) - 1)]))
        for first, last in itertools.pairwise(edges)
        if last > first
    ]


def _played(sound: Samples, speed: float, rate_hz: int) -> Samples:
    """At another speed, as a tape would play it."""
    return np.asarray(soxr.resample(sound, rate_hz * speed, rate_hz, quality="HQ"))
