"""What else sounds under a voice: music, or a second talker.

Between the words of somebody who talks alone there is the room. Where most of what lies there
stands clearly over the room and moves, something else sounds. What is nearly as loud as the voice
leaves no pauses to look into, so the softest tenth of the talk is looked at as well: for who talks
alone it lies far under the words. Notes of music stay where they are for a tenth of a second and
more; the harmonics of a voice glide.

Source: Scheirer and Slaney (1997) for steady partials against gliding ones; ITU-T P.56 for what is
speech; practice for the softest tenth.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs

_FRAME_S = 0.01
# So far under the mean level of speech lie pauses; a word begins and ends in so many frames more.
_UNDER_ACTIVE_DB, _BEFORE, _AFTER = 12.0, 4, 15
_LEAST_FRAMES = 40
_OVER_ROOM_DB, _MOST_OF_IT = 8.0, 0.55
_MOVES_DB = 7.0
# What lies further under a voice may be its own reverb.
_MOST_UNDER_DB = 35.0
_LINE_S, _LINES_PER_HOP = 0.0427, 4
_LINE_BAND_HZ, _STANDS_OUT_DB, _AROUND = (150.0, 4000.0), 12.0, 61
_LATER, _SAME_PITCH = 6, 0.006
_STAYS, _ALWAYS_THERE = 0.5, 0.8
_LEAST_LINES, _VOICE_LINES_PER_S = 60, 65.0
# The softest tenth, as the loudest of each 0.11 s, and what is asked of it: a reverb that a talk
# leaves behind lies further under the words, and so do its own soft sounds.
_SOFTEST, _SOFT_FRAMES, _SOFT_STAYS = 10.0, 11, 0.4
_SOFT_UNDER_DB, _SOFT_LINES_PER_S = 21.5, 180.0


@dataclass(frozen=True)
class UnderVoice:
    """What sounds under a voice, and how far under its active level it stands, dB."""

    kind: Literal["music", "voice"]
    under_db: float


def find_under_voice(
    talk: Samples, *, rate_hz: float, active_level_dbfs: float, floor_dbfs: float
) -> UnderVoice | None:
    """What else sounds in ``(n,)`` samples of somebody talking over a room of ``floor_dbfs``; None
    where nothing does, or too few pauses tell."""
    levels = frame_levels_dbfs(talk, rate_hz=rate_hz, frame_s=_FRAME_S)
    return _in_pauses(talk, levels, rate_hz, active_level_dbfs, floor_dbfs) or _in_softest(
        talk, levels, rate_hz, active_level_dbfs, floor_dbfs
    )


def _in_pauses(
    talk: Samples, levels: Samples, rate_hz: float, active_dbfs: float, floor_dbfs: float
) -> UnderVoice | None:
    pauses = _pauses(levels > active_dbfs - _UNDER_ACTIVE_DB)
    if np.count_nonzero(pauses) < _LEAST_FRAMES:
        return None
    between = levels[pauses]
    over = float(np.mean(between > floor_dbfs + _OVER_ROOM_DB))
    if over < _MOST_OF_IT:
        return None
    lines = _lines(talk, pauses, rate_hz)
    under = active_dbfs - float(np.median(between))
    if _are_notes(lines, _STAYS):
        return UnderVoice("music", under)
    moves = float(np.std(between)) >= _MOVES_DB and under <= _MOST_UNDER_DB
    seconds = np.count_nonzero(pauses) * _FRAME_S
    if moves and _counted(lines) / seconds >= _VOICE_LINES_PER_S:
        return UnderVoice("voice", under)
    return None


def _in_softest(
    talk: Samples, levels: Samples, rate_hz: float, active_dbfs: float, floor_dbfs: float
) -> UnderVoice | None:
    if len(levels) < _LEAST_FRAMES:
        return None
    highest = scipy.ndimage.maximum_filter1d(levels, _SOFT_FRAMES)
    softest = highest <= np.percentile(highest, _SOFTEST)
    softest = scipy.ndimage.binary_opening(softest, np.ones(_SOFT_FRAMES, dtype=bool))
    if np.count_nonzero(softest) < _LEAST_FRAMES:
        return None
    middle = float(np.median(levels[softest]))
    if middle < floor_dbfs + _OVER_ROOM_DB:
        return None
    lines = _lines(talk, softest, rate_hz)
    under = active_dbfs - middle
    if _are_notes(lines, _SOFT_STAYS):
        return UnderVoice("music", under)
    seconds = sum(max(len(piece) - _LATER, 0) for piece in lines) * _LINE_S / _LINES_PER_HOP
    if under <= _SOFT_UNDER_DB and _counted(lines) >= _SOFT_LINES_PER_S * max(seconds, _FRAME_S):
        return UnderVoice("voice", under)
    return None


def _counted(lines: list[list[Samples]]) -> int:
    """How many lines have a moment later to be looked for in."""
    return sum(len(line) for piece in lines for line in piece[: max(len(piece) - _LATER, 0)])


def _are_notes(lines: list[list[Samples]], stays: float) -> bool:
    count = sum(len(line) for piece in lines for line in piece)
    return count >= _LEAST_LINES and _staying(lines) >= stays and _common(lines) < _ALWAYS_THERE


def _pauses(spoken: np.ndarray) -> np.ndarray:
    """The frames that lie between words, what belongs to their beginnings and ends left out."""
    marked = np.zeros(len(spoken) + _AFTER, dtype=int)
    for away in range(-_BEFORE, _AFTER):
        shifted = np.flatnonzero(spoken) + away
        marked[shifted[shifted >= 0]] = 1
    return np.asarray(marked[: len(spoken)] == 0)


def _lines(talk: Samples, pauses: np.ndarray, rate_hz: float) -> list[list[Samples]]:
    """The frequencies that stand out, Hz, by piece of pause and moment."""
    length = 1 << round(float(np.log2(_LINE_S * rate_hz)))
    hop, frame = length // _LINES_PER_HOP, round(_FRAME_S * rate_hz)
    window = np.hanning(length)
    hz = np.fft.rfftfreq(length, 1.0 / rate_hz)
    inside = (hz > _LINE_BAND_HZ[0]) & (hz < _LINE_BAND_HZ[1])
    numbered, count = scipy.ndimage.label(pauses)
    pieces = []
    for number in range(1, count + 1):
        frames = np.flatnonzero(numbered == number)
        piece = talk[frames[0] * frame : (frames[-1] + 1) * frame]
        if len(piece) < length + (_LATER + 1) * hop:
            continue
        moments = np.lib.stride_tricks.sliding_window_view(piece, length)[::hop] * window
        spectra = power_db(np.abs(np.fft.rfft(moments, axis=1)) ** 2 + 1e-24)
        pieces.append([_peaks(row, inside, rate_hz / length) for row in spectra])
    return pieces


def _peaks(level_db: Samples, inside: np.ndarray, bin_hz: float) -> Samples:
    around = scipy.ndimage.median_filter(level_db, _AROUND)
    middle, left, right = level_db[1:-1], level_db[:-2], level_db[2:]
    found = (middle > left) & (middle >= right) & (middle > around[1:-1] + _STANDS_OUT_DB)
    at = np.flatnonzero(found) + 1
    at = at[inside[at]]
    bend = level_db[at - 1] - 2.0 * level_db[at] + level_db[at + 1]
    return np.asarray((at + 0.5 * (level_db[at - 1] - level_db[at + 1]) / bend) * bin_hz)


def _has(lines: Samples, hz: float, within: float) -> bool:
    return bool(len(lines)) and bool(np.abs(lines / hz - 1.0).min() < within)


def _staying(lines: list[list[Samples]]) -> float:
    """The share of lines that are still there a moment later."""
    found = [
        _has(piece[at + _LATER], hz, _SAME_PITCH)
        for piece in lines
        for at in range(len(piece) - _LATER)
        for hz in piece[at]
    ]
    return float(np.mean(found)) if found else 0.0


def _common(lines: list[list[Samples]]) -> float:
    """How common a line is, as the share of the pieces that hold it: hum is in all of them."""
    whole = [np.concatenate(piece) for piece in lines]
    found = [
        np.mean([_has(other, hz, 2.0 * _SAME_PITCH) for other in whole])
        for piece in lines
        for hz in piece[len(piece) // 2]
    ]
    return float(np.mean(found)) if found else 1.0
