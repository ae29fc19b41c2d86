"""Mains hum, taken out without delay: one oscillator per line is followed and subtracted.

Each line has a slow complex amplitude, learned from what is left at its frequency; all share one
phase, held on the mains by a loop of second order, so that lines at 500 Hz keep their place when
the mains wanders. A voice that passes over a line pulls at it: a line is believed as far as what is
left there keeps to the size of the hum, and the loop weighs the lines by how quiet it is beside
them.

Source: Widrow and others (1975), "Adaptive noise cancelling", for the canceller; Glover (1977),
"Adaptive noise canceling applied to sinusoidal interferences", for its width; Gardner,
"Phaselock Techniques", for the loop; Huber (1964) for the limit on what is believed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from obsidian_wren.core.chain.stage import number, rows
from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel

# What is left is gathered over so much before it is looked at: lines 50 Hz apart do not mix.
LOOK_HZ = 30.0
_LOOK_S = 1.0 / LOOK_HZ
# The room at a line is seldom over so many times its mean.
_OVER_ROOM = 1.5
_MULTIPLES, _LINE_DBFS = (1.0, 1000.0), (-1000.0, 100.0)
_LOOP_RAD_PER_S, _DAMPING = 3.0, 0.9
# The loop holds on to within this share of the mains it was told.
_REACH = 0.004
# A line's first look counts whole, later ones ever less, until it settles as asked.
_FIRST_S = 0.06
_BESIDE_S = 0.2
_CALM = 0.8
# Rows of what is carried for each line.
_RE, _IM, _COS, _SIN, _LEFT_RE, _LEFT_IM, _BESIDE, _TURN_COS, _TURN_SIN, _ROWS = range(10)
_COUNT, _AGE_S, _PACE = 0, 1, 2


@kernel(
    "void(f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[::1], f8[::1], f8[::1], i8, i8, f8, f8)",
    fastmath=True,
    error_model="numpy",
)
def _cancel(
    block: Samples,
    out: Samples,
    lines: Samples,
    loop: Samples,
    numbers: Samples,
    specified: Samples,
    usual: Samples,
    look: int,
    rate_hz: float,
    pace: float,
    settle_s: float,
) -> None:
    count = len(numbers)
    re, im, cos, sin = lines[_RE], lines[_IM], lines[_COS], lines[_SIN]
    left_re, left_im, turn_cos, turn_sin = (
        lines[_LEFT_RE],
        lines[_LEFT_IM],
        lines[_TURN_COS],
        lines[_TURN_SIN],
    )
    for i in range(len(block)):
        hum = 0.0
        for k in range(count):
            hum += re[k] * cos[k] - im[k] * sin[k]
        left = block[i] - 2.0 * hum
        out[i] = left
        for k in range(count):
            c, s = cos[k], sin[k]
            left_re[k] += left * c
            left_im[k] -= left * s
            cos[k] = c * turn_cos[k] - s * turn_sin[k]
            sin[k] = s * turn_cos[k] + c * turn_sin[k]
        loop[_COUNT] += 1.0
        if loop[_COUNT] >= look:
            loop[_COUNT] = 0.0
            _look(lines, loop, numbers, specified, usual, look / rate_hz, rate_hz, pace, settle_s)


@kernel()
def _look(
    lines: Samples,
    loop: Samples,
    numbers: Samples,
    specified: Samples,
    usual: Samples,
    step_s: float,
    rate_hz: float,
    pace: float,
    settle_s: float,
) -> None:
    loop[_AGE_S] += step_s
    reach = 1.0 - math.exp(-step_s / min(settle_s, max(_FIRST_S, 0.5 * loop[_AGE_S])))
    error, weight = 0.0, 1e-30
    for k in range(len(numbers)):
        re, im = lines[_RE, k], lines[_IM, k]
        found_re, found_im = (
            lines[_LEFT_RE, k] / (step_s * rate_hz),
            lines[_LEFT_IM, k] / (step_s * rate_hz),
        )
        lines[_LEFT_RE, k] = lines[_LEFT_IM, k] = 0.0
        size, known = math.hypot(found_re, found_im), max(math.hypot(re, im), usual[k])
        if size > 2.0 * known:
            found_re = found_im = 0.0
        elif size > known:
            found_re, found_im = found_re * (known / size) ** 2, found_im * (known / size) ** 2
        lines[_BESIDE, k] += (size * size - lines[_BESIDE, k]) * min(1.0, step_s / _BESIDE_S)
        beside = lines[_BESIDE, k] + 1e-3 * specified[k] ** 2 + 1e-30
        error += numbers[k] * (found_im * re - found_re * im) / beside
        weight += numbers[k] ** 2 * (re * re + im * im + 0.25 * specified[k] ** 2) / beside
        step = reach * min(1.0, (_CALM * known) ** 2 / beside)
        re, im = re + step * found_re, im + step * found_im
        gone = abs(re) + abs(im) < 1e-12
        lines[_RE, k], lines[_IM, k] = (0.0, 0.0) if gone else (re, im)
    error /= weight
    moved = loop[_PACE] + _LOOP_RAD_PER_S**2 * error * step_s / rate_hz
    loop[_PACE] = min(max(moved, pace * (1.0 - _REACH)), pace * (1.0 + _REACH))
    ahead = 2.0 * _DAMPING * _LOOP_RAD_PER_S * error * step_s
    for k in range(len(numbers)):
        size = math.hypot(lines[_COS, k], lines[_SIN, k])
        c, s = lines[_COS, k] / size, lines[_SIN, k] / size
        by_c, by_s = math.cos(numbers[k] * ahead), math.sin(numbers[k] * ahead)
        lines[_COS, k], lines[_SIN, k] = c * by_c - s * by_s, s * by_c + c * by_s
        lines[_TURN_COS, k], lines[_TURN_SIN, k] = (
            math.cos(numbers[k] * loop[_PACE]),
            math.sin(numbers[k] * loop[_PACE]),
        )


class HumCanceller:
    """Runs a :class:`HumSpec` at a rate."""

    kind = "hum"
    delay_samples = 0
    gain_db = None

    def __init__(self, spec: HumSpec, *, rate_hz: float) -> None:
        rows = [row for row in spec.lines if row[0] * spec.mains_hz < 0.45 * rate_hz]
        self._numbers = np.array([row[0] for row in rows], dtype=float)
        self._specified, beside = (_amplitudes([row[place] for row in rows]) for place in (1, 2))
        # What the room itself leaves at a line is no voice that pulls at it.
        self._usual = np.maximum(self._specified, _OVER_ROOM * beside)
        self._pace = 2.0 * math.pi * spec.mains_hz / rate_hz
        self._settle_s, self._rate_hz = spec.settle_s, rate_hz
        self._lines = np.zeros((_ROWS, len(rows)))
        self._lines[_COS] = 1.0
        self._lines[_BESIDE] = self._specified**2
        self._lines[_TURN_COS] = np.cos(self._numbers * self._pace)
        self._lines[_TURN_SIN] = np.sin(self._numbers * self._pace)
        self._loop = np.array([0.0, 0.0, self._pace])
        self._look = max(1, round(_LOOK_S * rate_hz))

    @property
    def state(self) -> tuple[Samples, ...]:
        """The lines and the loop that holds them. ``(rows, lines)`` and ``(3,)``."""
        return self._lines, self._loop

    def process(self, block: Samples) -> Samples:
        """Take the hum out of ``(n,)`` samples."""
        if not len(self._numbers):
            return block
        out = np.empty_like(block)
        _cancel(
            block,
            out,
            self._lines,
            self._loop,
            self._numbers,
            self._specified,
            self._usual,
            self._look,
            self._rate_hz,
            self._pace,
            self._settle_s,
        )
        return out


def _amplitudes(levels_dbfs: list[float]) -> Samples:
    """The size of ``c`` for AES17 levels: ``2·|c|·cos`` has a root mean square of √2·|c|."""
    return np.array(
        [amplitude_from_db(level - AES17_OFFSET_DB) / math.sqrt(2.0) for level in levels_dbfs]
    )


@dataclass(frozen=True)
class HumSpec:
    """Mains frequency in Hz, how slowly a line is learned in s; ``lines``: rows of the multiple,
    the AES17 level in dBFS, and that of the room in 30 Hz around it."""

    kind: ClassVar[str] = "hum"
    mains_hz: float
    settle_s: float
    lines: tuple[tuple[int, float, float], ...]
    on: bool = True

    def build(self, *, rate_hz: float) -> HumCanceller:
        """The stage at a rate."""
        return HumCanceller(self, rate_hz=rate_hz)

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From ``mains_hz``, ``settle_s`` and ``lines``, rows of a multiple and two levels in dBFS.
        Raises BadSetting."""
        lines = rows(settings, "lines", _MULTIPLES, _LINE_DBFS, _LINE_DBFS)
        return cls(
            number(settings, "mains_hz"),
            number(settings, "settle_s"),
            tuple((int(multiple), line, room) for multiple, line, room in lines),
            on,
        )
