"""What a voice is fitted to: a target spectrum with a corridor around it.

Byrne et al. (1994), "An international comparison of long-term average speech spectra", JASA 96:
combined talkers, dB per third octave at 70 dB overall. Lower and higher voices differ in its lowest
bands, where only lower voices have their fundamental. It starts at 100 Hz; below that there is no
target. Other targets: another take of the same person, or an imported curve.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.aims import Taste
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, FineSpectrum
from obsidian_wren.core.wording import _

CORRIDOR_DB = 1.5
_BYRNE_1994 = {
    100: 54.4,
    125: 57.7,
    160: 56.8,
    200: 60.2,
    250: 60.3,
    315: 59.0,
    400: 62.1,
    500: 62.1,
    630: 60.5,
    800: 56.8,
    1000: 53.7,
    1250: 53.0,
    1600: 52.0,
    2000: 48.7,
    2500: 48.1,
    3150: 46.8,
    4000: 45.6,
    5000: 44.5,
    6300: 44.3,
    8000: 43.7,
    10000: 43.4,
    12500: 41.3,
    16000: 40.7,
}
# The same table's female talkers, whose lowest bands lie under the fundamental.
_HIGHER_1994 = {100: 37.5, 125: 40.1, 160: 53.4}
_HIGHER_FROM_HZ = 155.0
# Broad moves: middle of the bend in Hz and its width in octaves (one standard deviation); air is a
# shelf.
_BENDS = {"warmth_db": (160.0, 0.7), "body_db": (450.0, 0.7), "clarity_db": (3200.0, 0.8)}
_AIR_HZ = 9000.0


Kind = Literal["average", "same voice", "curve"]


@dataclass(frozen=True)
class Target:
    """A target ``levels_db`` at the points of the voice spectrum, its lowest frequency, and half
    the corridor's width, one number or ``(points,)``.

    ``kind``: average speech, the same voice through a microphone that is trusted, or a curve.
    """

    levels_db: Samples
    low_hz: float
    high_hz: float
    corridor_db: Samples | float
    name: str = _("average speech")
    kind: Kind = "average"


def bend_db(taste: Taste, frequency_hz: Samples) -> Samples:
    """What a taste adds to the target at ``(n,)`` frequencies, dB."""
    octaves = np.log2(frequency_hz)
    total = np.zeros(len(frequency_hz))
    for name, (centre, width) in _BENDS.items():
        total += getattr(taste, name) * np.exp(-0.5 * ((octaves - np.log2(centre)) / width) ** 2)
    return np.asarray(total + taste.air_db / (1.0 + 2.0 ** (-3.0 * (octaves - np.log2(_AIR_HZ)))))


def average_speech(*, higher: bool = False) -> Target:
    """The average speech spectrum of Byrne et al. (1994), smoothed over a third octave: single
    bands of the table are uneven."""
    table_db = _BYRNE_1994 | (_HIGHER_1994 if higher else {})
    hz = np.array(list(table_db), dtype=float)
    table = np.array(list(table_db.values()))
    smooth = np.convolve(np.pad(table, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    smooth[0] = table[0]
    name = _("average speech of higher voices") if higher else _("average speech")
    return Target(
        np.interp(np.log(POINT_HZ), np.log(hz), smooth), 100.0, 16_000.0, CORRIDOR_DB, name
    )


def by_pitch(pitch: Pitch | None) -> Target:
    """The average speech of voices like this one."""
    return average_speech(higher=pitch is not None and pitch.p50 > _HIGHER_FROM_HZ)


def same_voice(
    reference: FineSpectrum,
    *,
    corridor_db: float = CORRIDOR_DB,
    name: str = _("your reference take"),
) -> Target:
    """A target that is another spectrum of the same voice, such as a take through a microphone
    that is trusted, or on a good day."""
    return Target(reference.points_db(), 50.0, 16_000.0, corridor_db, name, "same voice")


def imported(rows: Sequence[Sequence[float]], *, name: str) -> Target:
    """A target from rows of Hz and dB per third octave, interpolated over log frequency; it
    holds between its first and last row."""
    hz, db = np.array([row[0] for row in rows]), np.array([row[1] for row in rows])
    return Target(
        np.interp(np.log(POINT_HZ), np.log(hz), db),
        float(max(hz[0], 50.0)),
        float(min(hz[-1], 16_000.0)),
        CORRIDOR_DB,
        name,
        "curve",
    )
