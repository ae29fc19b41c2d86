"""What moves in a take of a room: a voice, something with a melody, or knocks.

All three are voiced for the ear of a pitch detector. A voice has stretches whose pitch glides and
whose formants move, that do not begin at their loudest as what is struck does; from one to the next
its spectrum is another; and its level moves at the rate of syllables. Notes hold their pitch, a dog
says the same again and again, what is knocked dies away.

Source: Houtgast and Steeneken (1985) for the rate of syllables; practice for the rest.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.speech import (
    PITCH_HOP_S,
    Voicing,
    has_melody,
    runs,
    syllable_share,
)
from obsidian_wren.core.rate import at_rate

Sound = Literal["voice", "melody", "knocks"]

_RATE_HZ = 8_000
_FRAME = 256
# Bands of a third of a Bark or so, where formants lie.
_EDGES_HZ = np.geomspace(200.0, 3700.0, 16)
# A stretch shorter than this is looked at no further.
_LEAST_FRAMES = 8
_GLIDE_FRAMES, _MOTION_FRAMES, _OCTAVE = 5, 6, 6.0
_LEAST_GLIDE, _LEAST_MOTION_DB = 0.1, 2.5
_EARLY = 0.2
# So many stretches of so different spectra are a voice; fewer only where all moves in syllables.
_MANY, _MANY_VARIETY_DB = 4, 4.5
_FEWEST, _FEW_VARIETY_DB, _FEW_RHYTHM = 2, 3.8, 0.5


@dataclass(frozen=True)
class RoomSound:
    """What moves, and the first time that it is heard, s."""

    kind: Sound
    first_s: float


@dataclass(frozen=True)
class _Stretch:
    """Voiced frames without a hole, ``start`` to ``end``: by how many semitones their pitch glides
    in 50 ms, how far their spectrum moves in 60 ms (dB), and whether they begin at their
    loudest."""

    start: int
    end: int
    glide: float
    motion_db: float
    is_struck: bool

    @property
    def is_spoken(self) -> bool:
        """Whether a voice is like that."""
        return (
            not self.is_struck and self.glide > _LEAST_GLIDE and self.motion_db > _LEAST_MOTION_DB
        )


def _shapes_db(samples: Samples, *, rate_hz: float) -> npt.NDArray[np.float64]:
    """Levels of 15 bands from 200 to 3,700 Hz every 10 ms, dB ``(frames, 15)``, none under its own
    floor."""
    low = at_rate(samples, rate_hz, _RATE_HZ, quality="LQ")
    hop = round(PITCH_HOP_S * _RATE_HZ)
    frames = np.lib.stride_tricks.sliding_window_view(low, _FRAME)[::hop] * np.hanning(_FRAME)
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    hz = np.fft.rfftfreq(_FRAME, 1.0 / _RATE_HZ)
    inside = (hz >= _EDGES_HZ[:-1, None]) & (hz < _EDGES_HZ[1:, None])
    bands = power @ inside.T.astype(float)
    return np.asarray(power_db(np.maximum(bands, np.percentile(bands, 10, axis=0)) + 1e-14))


def _stretches(voicing: Voicing, shapes: npt.NDArray[np.float64]) -> list[_Stretch]:
    """The voiced stretches of a take that are long enough to be looked at."""
    count = min(len(voicing.voiced), len(shapes))
    levels = _levels_db(shapes)
    relative = shapes - shapes.mean(axis=1, keepdims=True)
    found = []
    for start, end in runs(voicing.voiced[:count]):
        if end - start < _LEAST_FRAMES:
            continue
        pitch = 12.0 * np.log2(voicing.pitch_hz[start:end])
        glides = np.abs(pitch[_GLIDE_FRAMES:] - pitch[:-_GLIDE_FRAMES])
        glides = glides[glides < _OCTAVE]
        shape = relative[start:end]
        found.append(
            _Stretch(
                start,
                end,
                float(np.median(glides)) if len(glides) else 0.0,
                float(np.abs(shape[_MOTION_FRAMES:] - shape[:-_MOTION_FRAMES]).mean()),
                bool(np.argmax(levels[start:end]) < _EARLY * (end - start)),
            )
        )
    return found


def _levels_db(shapes: npt.NDArray[np.float64]) -> Samples:
    return np.asarray(power_db(np.sum(10.0 ** (shapes / 10.0), axis=1)))


def _variety_db(shapes: npt.NDArray[np.float64], spoken: list[_Stretch]) -> float:
    """How far spectra of stretches differ, dB."""
    inside = np.concatenate([shapes[each.start : each.end] for each in spoken])
    relative = inside - inside.mean(axis=1, keepdims=True)
    return float(relative.std(axis=0).mean())


def moving_sound(samples: Samples, voicing: Voicing, *, rate_hz: float) -> RoomSound | None:
    """What moves in ``(n,)`` samples whose voiced frames are known; None where nothing does that
    could be taken for a voice."""
    if not has_melody(voicing):
        return None
    shapes = _shapes_db(samples, rate_hz=rate_hz)
    found = _stretches(voicing, shapes)
    if not found:
        return None
    spoken = [each for each in found if each.is_spoken]
    if _are_of_a_voice(spoken, shapes, len(found)):
        return RoomSound("voice", spoken[0].start * PITCH_HOP_S)
    kind: Sound = "knocks"
    if _holds_notes(found) or 2 * sum(each.is_struck for each in found) < len(found):
        kind = "melody"
    return RoomSound(kind, found[0].start * PITCH_HOP_S)


def _are_of_a_voice(spoken: list[_Stretch], shapes: npt.NDArray[np.float64], count: int) -> bool:
    if len(spoken) < _FEWEST:
        return False
    variety_db = _variety_db(shapes, spoken)
    if len(spoken) >= _MANY:
        return variety_db >= _MANY_VARIETY_DB
    return (
        2 * len(spoken) >= count
        and variety_db >= _FEW_VARIETY_DB
        and syllable_share(_levels_db(shapes)) >= _FEW_RHYTHM
    )


def _holds_notes(found: list[_Stretch]) -> bool:
    return float(np.median([each.glide for each in found])) < _LEAST_GLIDE
