"""What moves in a room that is used: the moments that stand over the room at rest, and what each of
them is.

A moment is a stretch whose A-weighted level every 20 ms stands clearly over what is always there:
over all but the loudest of the room at rest, and over what the room in use adds to that where it
is as steady, so that a fan that only runs in use moves nothing. What ends within a fifth of a
second and lies high is keys, what begins at its loudest and dies away a knock; ``room_sounds``
tells a melody from a voice. The rest passes by.

Source: IEC 61672-1 for the weighting; practice for the rest.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import AES17_OFFSET_DB, SILENCE_DB, Samples, power_db
from obsidian_wren.core.measure.room_sounds import moving_sound
from obsidian_wren.core.measure.speech import find_voice, runs
from obsidian_wren.core.measure.weighting import a_weighting_power

MomentKind = Literal["keys", "knock", "melody", "voice", "passing"]

STEP_S = 0.02
_FRAME_S = 0.04
_OVER_DB = 6.0
_SELDOM = 95.0
_AS_STEADY_DB = 0.8
# What follows within this belongs to the same moment.
_JOINED_S = 0.4
# Longer ones are asked for a melody or a voice.
_LEAST_MELODY_S = 0.6
_AROUND_S = 0.2
_SHORT_S, _HIGH_HZ, _HIGH_SHARE = 0.2, 1_500.0, 0.5
_EARLY, _KNOCK_S, _DIES_DB = 0.35, 1.2, 10.0
# What is struck rises so far within 40 ms; what does not so often passes by.
_RISE_STEPS, _RISE_DB, _RISES_PER_S = 2, 9.0, 0.7


@dataclass(frozen=True)
class Moment:
    """One moment, s from the beginning of the take, and its A-weighted energy as a level over its
    own length, dBFS."""

    kind: MomentKind
    start_s: float
    end_s: float
    level_dbfs: float


@dataclass(frozen=True)
class MovingRoom:
    """A room in use beside the room at rest: A-weighted levels every 20 ms ``(steps,)``, dBFS; what
    is always there, dBFS; the moments."""

    levels_dbfs: Samples
    always_dbfs: float
    moments: tuple[Moment, ...]

    @property
    def moving(self) -> npt.NDArray[np.bool_]:
        """Which steps belong to a moment and stand over what is always there ``(steps,)``."""
        found = np.zeros(len(self.levels_dbfs), dtype=bool)
        for moment in self.moments:
            found[round(moment.start_s / STEP_S) : round(moment.end_s / STEP_S)] = True
        return found & (self.levels_dbfs > self.always_dbfs + _OVER_DB)

    @property
    def moving_s(self) -> float:
        """For how long something moves, s."""
        return float(np.count_nonzero(self.moving)) * STEP_S

    @property
    def highest_dbfs(self) -> float:
        """What one moving step in twenty exceeds, dBFS(A); minus infinity where nothing moves."""
        moving = self.levels_dbfs[self.moving]
        return float(np.percentile(moving, _SELDOM)) if len(moving) else SILENCE_DB


def a_weighted_levels_dbfs(
    samples: Samples, *, rate_hz: float, within: npt.NDArray[np.bool_] | None = None
) -> Samples:
    """A-weighted AES17 levels of ``(n,)`` samples every 20 ms, ``(steps,)`` in dBFS; of those steps
    only that begin ``within``, ``(n,)``."""
    weighted, _high = _levels_and_high(samples, rate_hz, within)
    return weighted


def _levels_and_high(
    samples: Samples, rate_hz: float, within: npt.NDArray[np.bool_] | None = None
) -> tuple[Samples, Samples]:
    """The levels, and the share of the power of each step that lies over 1.5 kHz."""
    frame, step = round(_FRAME_S * rate_hz), round(STEP_S * rate_hz)
    if len(samples) < frame:
        return np.empty(0), np.empty(0)
    window = np.hanning(frame)
    hz = np.asarray(np.fft.rfftfreq(frame, 1.0 / rate_hz), dtype=np.float64)
    weights = a_weighting_power(hz) * 2.0 / (frame * float(window @ window))
    high = hz >= _HIGH_HZ
    frames = np.lib.stride_tricks.sliding_window_view(samples, frame)[::step]
    if within is not None:
        frames = frames[within[: len(frames) * step : step]]
        if not len(frames):
            return np.empty(0), np.empty(0)
    totals, shares = [], []
    # Some hundred frames at a time, so that a long take needs little memory.
    for at in range(0, len(frames), 512):
        powers = np.abs(np.fft.rfft(frames[at : at + 512] * window, axis=1)) ** 2 * weights
        whole = powers.sum(axis=1) + 1e-30
        totals.append(whole)
        shares.append(powers[:, high].sum(axis=1) / whole)
    return power_db(np.concatenate(totals)) + AES17_OFFSET_DB, np.concatenate(shares)


def moving_room(in_use: Samples, rest: Samples, *, rate_hz: float) -> MovingRoom:
    """What moves in ``(n,)`` samples of a room in use, beside ``(m,)`` of it at rest."""
    levels, high = _levels_and_high(in_use, rate_hz)
    still = a_weighted_levels_dbfs(rest, rate_hz=rate_hz)
    always = -200.0
    if len(still):
        soft, often, seldom = np.percentile(np.maximum(still, -200.0), [10, 25, _SELDOM])
        always = float(seldom)
        if len(levels):
            soft_in_use, often_in_use = np.percentile(levels, [10, 25])
            if often_in_use - soft_in_use <= often - soft + _AS_STEADY_DB:
                always += max(float(soft_in_use - soft), 0.0)
    over = levels > always + _OVER_DB
    moments = [_moment(in_use, levels, high, first, last, rate_hz) for first, last in _joined(over)]
    return MovingRoom(levels, always, tuple(moments))


def _joined(over: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for first, last in runs(over):
        if found and (first - found[-1][1]) * STEP_S < _JOINED_S:
            found[-1] = found[-1][0], last
        else:
            found.append((first, last))
    return found


def _moment(
    sound: Samples, levels: Samples, high: Samples, first: int, last: int, rate_hz: float
) -> Moment:
    powers = 10.0 ** (levels[first:last] / 10.0)
    level = power_db(float(powers.mean()))
    start_s, end_s = first * STEP_S, last * STEP_S
    around = round(_AROUND_S * rate_hz)
    begin, end = round(start_s * rate_hz) - around, round(end_s * rate_hz) + around
    piece = sound[max(0, begin) : end]
    kind = _kind(piece, levels[first:last], high[first:last], rate_hz)
    return Moment(kind, start_s, end_s, level)


def _kind(piece: Samples, levels: Samples, high: Samples, rate_hz: float) -> MomentKind:
    seconds = len(levels) * STEP_S
    if seconds >= _LEAST_MELODY_S:
        moves = moving_sound(piece, find_voice(piece, rate_hz=rate_hz), rate_hz=rate_hz)
        if moves is not None and moves.kind != "knocks":
            return moves.kind
    loud = levels > levels.max() - _DIES_DB
    rises = len(runs(levels[_RISE_STEPS:] - levels[:-_RISE_STEPS] > _RISE_DB))
    if seconds > _KNOCK_S and rises < _RISES_PER_S * seconds:
        return "passing"
    short = float(np.median([last - first for first, last in runs(loud)])) * STEP_S <= _SHORT_S
    if short and np.percentile(high[loud], 75) >= _HIGH_SHARE:
        return "keys"
    early = float(np.argmax(levels)) <= max(2.0, _EARLY * len(levels))
    return "knock" if short or (early and seconds <= _KNOCK_S) else "passing"
