"""Colour, for character: harmonics, a short echo, a small room or a plate, ring modulation.

Off until somebody wants it.

Harmonics are a square and a cube of the sound under an eighth of the rate or so, so that nothing
they make can fold back over Nyquist. Room and plate are feedback delay networks of eight lines with
a Hadamard matrix (Jot & Chaigne 1991), whose line lengths share no factor.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel

_ROOM_LINES_MS = (11.3, 13.9, 17.1, 19.7, 23.1, 27.7, 31.3, 36.1)
_PLATE_LINES_MS = (3.1, 4.3, 5.3, 6.7, 7.9, 9.1, 10.7, 12.1)
_ECHO_FEEDBACK = 0.35
_ROOM_DULL, _PLATE_DULL = 0.45, 0.15


@kernel("void(f8[::1], f8[::1], f8, f8, f8[::1], f8[::1])")
def _harmonics(
    block: Samples, low: Samples, drive: float, share: float, memory: Samples, out: Samples
) -> None:
    """Adds even and odd harmonics; what the square shifts off zero is taken away by a slow
    one-pole. ``memory``: its state."""
    mean = memory[0]
    for i in range(len(block)):
        u = max(-1.0, min(1.0, low[i] * drive))
        added = (0.5 * u * u - 0.5 * u * u * u) / drive
        mean += (added - mean) * 0.002
        out[i] = block[i] + share * (added - mean)
    memory[0] = mean


@kernel("i8(f8[::1], f8[::1], i8, i8, f8, f8, f8[::1])")
def _echo(
    block: Samples, line: Samples, at: int, delay: int, share: float, feedback: float, out: Samples
) -> int:
    for i in range(len(block)):
        back = line[(at - delay) % len(line)]
        line[at] = block[i] + feedback * back
        out[i] = block[i] + share * back
        at = at + 1 if at + 1 < len(line) else 0
    return at


@kernel("void(f8[::1], f8[:, ::1], f8[::1], f8[::1], f8, f8, f8[::1], f8[::1])")
def _network(
    block: Samples,
    lines: Samples,
    lengths: Samples,
    feedback: Samples,
    dull: float,
    share: float,
    memory: Samples,
    out: Samples,
) -> None:
    """``lines`` ``(8, longest)``; ``memory``: write position, then the eight low-passes in the
    loops. Adds to ``out``."""
    at = int(memory[0])
    longest = lines.shape[1]
    taps, mixed = np.empty(8), np.empty(8)
    for i in range(len(block)):
        total = 0.0
        for n in range(8):
            back = at - int(lengths[n])
            if back < 0:
                back += longest
            memory[1 + n] += (lines[n, back] * feedback[n] - memory[1 + n]) * (1.0 - dull)
            taps[n] = memory[1 + n]
            total += taps[n] if n % 2 == 0 else -taps[n]
        # Fast Hadamard transform of eight.
        for n in range(4):
            mixed[n], mixed[n + 4] = taps[n] + taps[n + 4], taps[n] - taps[n + 4]
        for h in (0, 4):
            for n in range(h, h + 2):
                a, b = mixed[n], mixed[n + 2]
                mixed[n], mixed[n + 2] = a + b, a - b
        for n in range(0, 8, 2):
            a, b = mixed[n], mixed[n + 1]
            mixed[n], mixed[n + 1] = a + b, a - b
        for n in range(8):
            value = block[i] + 0.35355339059327373 * mixed[n]
            lines[n, at] = value if abs(value) > 1e-25 else 0.0
        out[i] += share * 0.35 * total
        at = at + 1 if at + 1 < longest else 0
    memory[0] = at


@kernel("void(f8[::1], f8, f8, f8[::1], f8[::1])")
def _ring(block: Samples, share: float, turn: float, memory: Samples, out: Samples) -> None:
    phase = memory[0]
    for i in range(len(block)):
        out[i] = (1.0 - share) * block[i] + share * 1.4142135623730951 * math.sin(phase) * block[i]
        phase += turn
        if phase > 6.283185307179586:
            phase -= 6.283185307179586
    memory[0] = phase


class _Space:
    """A room or a plate."""

    def __init__(
        self,
        lines_ms: tuple[float, ...],
        *,
        decay_s: float,
        dull: float,
        share: float,
        rate_hz: float,
    ) -> None:
        self._lengths = np.array([_coprime_length(ms, rate_hz) for ms in lines_ms], dtype=float)
        self._feedback = 10.0 ** (-3.0 * self._lengths / (decay_s * rate_hz))
        self.lines = np.zeros((8, int(self._lengths.max()) + 1))
        self.memory = np.zeros(9)
        self._dull, self._share = dull, share

    def add(self, block: Samples, out: Samples) -> None:
        """Add the return from the walls to ``out``."""
        _network(
            block,
            self.lines,
            self._lengths,
            self._feedback,
            self._dull,
            self._share,
            self.memory,
            out,
        )


def _coprime_length(ms: float, rate_hz: float) -> int:
    """The next prime number of samples."""
    n = max(3, round(ms * rate_hz / 1000.0)) | 1
    while any(n % k == 0 for k in range(3, math.isqrt(n) + 1, 2)):
        n += 2
    return n


class Colour:
    """Runs a :class:`ColourSpec` at a rate; what has no share is not computed."""

    kind = "colour"
    delay_samples = 0

    def __init__(self, spec: ColourSpec, *, rate_hz: float) -> None:
        self.gain_db = None
        self._spec = spec
        self._drive = amplitude_from_db(spec.drive_db)
        self._low = np.array(_EIGHTH_OF_THE_RATE)
        self._low_state, self._slow = np.zeros((len(self._low), 2)), np.zeros(1)
        self._echo_delay = round(spec.echo_ms * rate_hz / 1000.0)
        self._line, self._at = np.zeros(self._echo_delay + 1), np.zeros(1)
        self._room = _Space(
            _ROOM_LINES_MS,
            decay_s=spec.room_s,
            dull=_ROOM_DULL,
            share=spec.room / 100.0,
            rate_hz=rate_hz,
        )
        self._plate = _Space(
            _PLATE_LINES_MS,
            decay_s=spec.room_s,
            dull=_PLATE_DULL,
            share=spec.plate / 100.0,
            rate_hz=rate_hz,
        )
        self._turn, self._phase = 2.0 * math.pi * spec.ring_hz / rate_hz, np.zeros(1)

    @property
    def state(self) -> tuple[Samples, ...]:
        """Filters, delay lines and the phase of the ring modulator.

        All one-dimensional, ``(n,)``.
        """
        spaces = (self._room.lines, self._room.memory, self._plate.lines, self._plate.memory)
        return (self._low_state, self._slow, self._line, self._at, *spaces, self._phase)

    def process(self, block: Samples) -> Samples:
        """Colour ``(n,)`` samples."""
        spec = self._spec
        out = np.array(block)
        if spec.ring:
            _ring(block, spec.ring / 100.0, self._turn, self._phase, out)
        if spec.harmonics:
            before, low = out.copy(), np.empty_like(out)
            run_sections(self._low, self._low_state, before, low)
            _harmonics(before, low, self._drive, spec.harmonics / 100.0, self._slow, out)
        if spec.echo:
            before = out.copy()
            self._at[0] = _echo(
                before,
                self._line,
                int(self._at[0]),
                self._echo_delay,
                spec.echo / 100.0,
                _ECHO_FEEDBACK,
                out,
            )
        before = out.copy() if spec.room or spec.plate else out
        for share, space in ((spec.room, self._room), (spec.plate, self._plate)):
            if share:
                space.add(before, out)
        return out


# Elliptic of order 6, ripple 0.5 dB, 50 dB down, up to an eighth of any rate: the third harmonic of
# whatever passes lies under Nyquist. What runs live loads no filter design.
_EIGHTH_OF_THE_RATE = (
    (
        0.009766140170759555,
        0.008399631407887133,
        0.009766140170759555,
        1.0,
        -1.4282904393412554,
        0.5601991157272717,
    ),
    (1.0, -0.815471142106468, 1.0, 1.0, -1.3756912475862093, 0.7735226632544729),
    (1.0, -1.136890070763799, 1.0, 1.0, -1.3636180262745783, 0.940039274978061),
)


@dataclass(frozen=True)
class ColourSpec(Numbers):
    """Shares in percent; drive in dB before the harmonics, times in ms and s, the ring
    modulator's frequency in Hz."""

    kind: ClassVar[str] = "colour"
    drive_db: float
    harmonics: float
    echo_ms: float
    echo: float
    room_s: float
    room: float
    plate: float
    ring_hz: float
    ring: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Colour:
        """The stage at a rate."""
        return Colour(self, rate_hz=rate_hz)
