"""Stages that follow each other, run in one pass of compiled code.

What each call of a stage costs beside its computation is about as much as the computation of a
short block. So everything that the stages remember and are set to lies in one array, and one kernel
runs them one after the other, by the very functions that run them alone. A stage goes on holding
its memory, as views into that array.

Source: practice; each stage names its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.chain.between_samples import BOUND, FOLDED, SHARP
from obsidian_wren.core.chain.compressor import compress
from obsidian_wren.core.chain.deesser import deess
from obsidian_wren.core.chain.deplosive import deplode
from obsidian_wren.core.chain.dynamics import Dynamics
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.gain import Gain
from obsidian_wren.core.chain.gate import UNKNOWN, Gate, gate_block
from obsidian_wren.core.chain.leveller import ride
from obsidian_wren.core.chain.limiter import Limiter, limit
from obsidian_wren.core.chain.look_ahead import TAPS
from obsidian_wren.core.chain.sections import Sections
from obsidian_wren.core.chain.stage import Stage
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.kernel import kernel, plain
from obsidian_wren.core.measure.highest import BetweenBound

_SECTIONS, _GAIN, _LIMITER, _GATE, _COMPRESSOR, _LEVELLER, _DEESSER, _DEPLOSIVE = range(8)
_BY_KERNEL = {
    gate_block: _GATE,
    compress: _COMPRESSOR,
    ride: _LEVELLER,
    deess: _DEESSER,
    deplode: _DEPLOSIVE,
}
_BOUND_AT = FOLDED.size + SHARP.size
# What every limiter looks between samples with, in one array.
_LOOKS = np.concatenate([FOLDED.ravel(), SHARP.ravel(), np.array(BOUND, dtype=float)])
_FOLDED_TO, _SHARP_ROWS, _LOOKS_TO = FOLDED.size, len(SHARP), len(_LOOKS)
# A stage has no more arrays and numbers than this, each known by its place, rows and columns; a
# last row holds the stage's code.
_MOST_PARTS = 8
Places = npt.NDArray[np.int64]
# A sum of squares and a sample beyond these are no sound.
_WILD, _MOST = 1e9, 100.0
_REFUSED = -1.0


def _code_of(stage: Any) -> int | None:
    if "process" in vars(stage):
        # Somebody put another way of processing in its place.
        return None
    kind = type(stage)
    if kind is Sections:
        return _SECTIONS
    if kind is Gain:
        return _GAIN
    if kind is Limiter:
        return _LIMITER
    return _BY_KERNEL.get(stage.kernel) if kind in (Dynamics, Gate) else None


@kernel()
def _row(numbers: Samples, place: Places) -> Samples:
    return numbers[place[0] : place[0] + place[1]]


@kernel()
def _rows(numbers: Samples, place: Places) -> Samples:
    return numbers[place[0] : place[0] + place[1] * place[2]].reshape((place[1], place[2]))


@kernel()
def _run_limiter(
    numbers: Samples,
    at: Places,
    looks: Samples,
    sound: Samples,
    out: Samples,
) -> float:
    past, limits = _rows(numbers, at[0]), _row(numbers, at[4])
    b = looks[_BOUND_AT:]
    bound = BetweenBound(b[0], b[1], b[2], b[3], int(b[4]))
    return limit(
        sound.reshape((1, len(sound))),
        out.reshape((len(out), 1)),
        past,
        past.shape[1] - TAPS,
        looks[:_FOLDED_TO].reshape((3, TAPS // 2)),
        looks[_FOLDED_TO:_BOUND_AT].reshape((_SHARP_ROWS, TAPS)),
        bound,
        limits[0],
        limits[1],
        _row(numbers, at[1]),
        _row(numbers, at[2]),
        _row(numbers, at[3]),
    )


@kernel()
def _run_gate(
    numbers: Samples, at: Places, sound: Samples, out: Samples, likelihood_db: Samples
) -> float:
    return gate_block(
        sound,
        out,
        likelihood_db,
        _row(numbers, at[0]),
        _rows(numbers, at[1]),
        _row(numbers, at[2]),
        _row(numbers, at[3]),
        _rows(numbers, at[4]),
        int(_row(numbers, at[5])[0]),
        _row(numbers, at[6]),
    )


@kernel()
def _run_deplosive(numbers: Samples, at: Places, sound: Samples, out: Samples) -> float:
    return deplode(
        sound,
        out,
        _row(numbers, at[0]),
        _row(numbers, at[1]),
        _rows(numbers, at[2]),
        _row(numbers, at[3]),
        _rows(numbers, at[4]),
        _row(numbers, at[5])[0],
        int(_row(numbers, at[6])[0]),
        _row(numbers, at[7]),
    )


@kernel(fastmath={"reassoc", "contract"})
def _energy(sound: Samples) -> float:
    total = 0.0
    for i in range(len(sound)):
        total += sound[i] * sound[i]
    return total


@kernel("f8(i8[:, :, ::1], f8[::1], f8[::1], f8[::1], f8[::1])")
def _run_all(
    places: Places, numbers: Samples, block: Samples, likelihood_db: Samples, result: Samples
) -> float:
    """Few arguments, since each costs as much as a short loop. ``numbers`` begins with what
    limiters look with and a gain for each stage."""
    if not _energy(block) < _WILD:
        return _REFUSED
    count = len(places)
    looks, gains = numbers[:_LOOKS_TO], numbers[_LOOKS_TO : _LOOKS_TO + count]
    between = np.empty((2, len(block)))
    sound = block
    for stage in range(count):
        out = result if stage == count - 1 else between[stage % 2]
        at = places[stage]
        code = at[_MOST_PARTS, 0]
        if code == _SECTIONS:
            run_sections(_rows(numbers, at[1]), _rows(numbers, at[0]), sound, out)
        elif code == _GAIN:
            factor = _row(numbers, at[0])[0]
            for i in range(len(sound)):
                out[i] = sound[i] * factor
        elif code == _LIMITER:
            gains[stage] = _run_limiter(numbers, at, looks, sound, out)
        elif code == _GATE:
            gains[stage] = _run_gate(numbers, at, sound, out, likelihood_db)
        elif code == _DEPLOSIVE:
            gains[stage] = _run_deplosive(numbers, at, sound, out)
        elif code == _LEVELLER:
            step = int(_row(numbers, at[1])[0])
            gains[stage] = ride(sound, out, _row(numbers, at[0]), step, _row(numbers, at[2]))
        else:
            ring, filters, memory = (
                _row(numbers, at[0]),
                _rows(numbers, at[1]),
                _row(numbers, at[2]),
            )
            sections, settings = _rows(numbers, at[3]), _row(numbers, at[5])
            step = int(_row(numbers, at[4])[0])
            if code == _COMPRESSOR:
                gains[stage] = compress(sound, out, ring, filters, memory, sections, step, settings)
            else:
                gains[stage] = deess(sound, out, ring, filters, memory, sections, step, settings)
        sound = out
    return _energy(result)


class OnePass:
    """Runs ``stages``, each of which :func:`fits`; a gate among them may be told the likelihood
    of speech if nothing before it delays the sound."""

    def __init__(self, stages: Sequence[Any]) -> None:
        self._stages = tuple(stages)
        self._gate = next((stage for stage in stages if isinstance(stage, Gate)), None)
        self._dynamics = [
            (place, stage, isinstance(stage, Limiter))
            for place, stage in enumerate(stages)
            if stage.gain_db is not None
        ]
        self.energy, self.is_tamed = 0.0, False
        self._places = np.zeros((len(stages), _MOST_PARTS + 1, 3), dtype=np.int64)
        self._places[:, _MOST_PARTS, 0] = np.array(
            [_code_of(stage) for stage in stages], dtype=np.int64
        )
        gains = np.array([float(isinstance(stage, Limiter)) for stage in stages])
        parts = [
            [np.atleast_1d(np.asarray(part, dtype=float)) for part in (*stage.state, *stage.fixed)]
            for stage in stages
        ]
        self._numbers = np.concatenate(
            [_LOOKS, gains, *(part.ravel() for own in parts for part in own)]
        )
        at = _LOOKS_TO + len(stages)
        self._gains = self._numbers[_LOOKS_TO:at]
        for places, stage, own in zip(self._places, stages, parts, strict=True):
            views = []
            for place, part in zip(places, own, strict=False):
                place[:] = at, part.shape[0], part.shape[1] if part.ndim > 1 else 0
                views.append(self._numbers[at : at + part.size].reshape(part.shape))
                at += part.size
            stage.move_to(tuple(views[: len(stage.state)]))

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples, :func:`tamed` where they need it. ``energy`` is then the sum of
        squares of what leaves."""
        block = plain(block)
        gate = self._gate
        has_detector = gate is not None and gate.heard is not UNKNOWN
        heard = gate.take_heard(len(block)) if gate is not None and has_detector else UNKNOWN
        out = np.empty(len(block))
        self.energy = _run_all(self._places, self._numbers, block, heard, out)
        self.is_tamed = self.energy == _REFUSED
        return self._tamed(block, heard) if self.is_tamed else out

    def _tamed(self, block: Samples, heard: Samples) -> Samples:
        """Stage by stage, none of which refuses."""
        if self._gate is not None:
            self._gate.hear(heard)
        out = _tame(block)
        for stage in self._stages:
            out = stage.process(out)
        self.energy = float(np.vdot(out, out))
        return out

    def tell_gains(self) -> None:
        """Let each dynamics stage hold the lowest gain of the last block: not at every block, since
        few are asked for it."""
        gains = self._gains.tolist()
        for place, stage, is_ratio in self._dynamics:
            stage.gain_db = amplitude_db(gains[place]) if is_ratio else gains[place]


def tamed(block: Samples) -> Samples:
    """Samples ``(n,)`` of which each is finite and may be sound."""
    # A NaN, an infinity or a number that no converter gives shows in the sum of squares.
    return block if np.vdot(block, block) < _WILD else _tame(block)


def _tame(block: Samples) -> Samples:
    return np.clip(np.where(np.isfinite(block), block, 0.0), -_MOST, _MOST)


def in_passes(stages: Sequence[Stage]) -> list[tuple[int, OnePass | None]]:
    """How to run stages: so many of them, alone or in one pass, in order."""
    found: list[tuple[int, OnePass | None]] = []
    group: list[Any] = []

    def close() -> None:
        if len(group) > 1:
            found.append((len(group), OnePass(group)))
        elif group:
            found.append((1, None))
        group.clear()

    for stage in stages:
        if _code_of(stage) is None:
            close()
            found.append((1, None))
            continue
        if isinstance(stage, Gate) and any(
            before.delay_samples or isinstance(before, Gate) for before in group
        ):
            close()
        group.append(stage)
    close()
    return found
