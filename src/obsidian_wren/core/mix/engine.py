"""The mix engine: many sources in, a mix for each listener out, block by block.

All mixes are one matrix over the sources, so a further listener costs a row. What is ducked is
mixed apart and drops as one. Behind the sum a true-peak limiter keeps each listener's ceiling.

Source: by definition: a matrix of gains.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.limiters import Limiters
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked

_FADE_S = 0.03
RELEASE_S = 0.1
_SILENCE = np.zeros(0)
# The signals under which others drop.
OVER = ("voice treated", "person treated")


@dataclass(frozen=True)
class MixSend:
    """A signal in a mix: its gain in dB, and how far it drops under the voice in dB."""

    signal: str
    gain_db: float
    duck_db: float = 0.0


@dataclass(frozen=True)
class Mix:
    """What one listener gets: the sends, one channel or two, and the ceiling in dBTP."""

    listener: str
    sends: tuple[MixSend, ...]
    channels: int = 1
    ceiling_dbtp: float = -3.0


class MixEngine:
    """``process`` takes a block of every signal and gives a block for every listener, later by
    ``delay_samples``.

    A signal that is missing is silence, and so is
    what is not finite.
    """

    def __init__(self, mixes: Sequence[Mix], *, ducking: Ducking, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._fade_samples = _FADE_S * rate_hz
        self._ducker = Ducker(ducking, rate_hz=rate_hz)
        self._matrix = _Matrix(())
        self._limiters = self._new_limiters()
        self._fading: _Matrix | None = None
        self._faded = 0
        self._set(mixes)

    @property
    def delay_samples(self) -> int:
        """Samples by which every mix lags."""
        return self._limiters.delay_samples if self._matrix.mixes else 0

    @property
    def duck_share(self) -> float:
        """How far what is ducked is down now, 0 to 1: times a send's own depth it is that send's
        drop in dB."""
        return self._ducker.share

    def take_limited_db(self) -> dict[str, float]:
        """The lowest gain of each listener's limiter since it was asked last, dB: a peak that is
        held passes in a few blocks."""
        lowest = self._limiters.take_gains_db()
        return {mix.listener: float(lowest[at]) for at, mix in enumerate(self._matrix.mixes)}

    def change(self, mixes: Sequence[Mix]) -> None:
        """Go over to other mixes without a click."""
        self._fading, self._faded = self._matrix, 0
        self._set(mixes)

    def process(self, signals: Mapping[str, Samples]) -> dict[str, Samples]:
        """``(n,)`` or ``(n, 2)`` samples by signal in; ``(n, channels)`` by listener out."""
        count = max((len(block) for block in signals.values()), default=0)
        over = [mono(_finite(signals[name])) for name in OVER if name in signals]
        shares = self._ducker.shares(sum(over[1:], over[0]) if over else np.zeros(count))
        mixed = self._matrix.mix(signals, count, shares)
        if self._fading is not None:
            fade = np.minimum((np.arange(count) + 1.0 + self._faded) / self._fade_samples, 1.0)
            fade = fade[:, None]
            before = self._matrix.in_order(self._fading, self._fading.mix(signals, count, shares))
            mixed = mixed * fade + before * (1.0 - fade)
            self._faded += count
            if self._faded >= self._fade_samples:
                self._fading = None
        limited = self._limiters.process(mixed.transpose(0, 2, 1))
        return {
            mix.listener: block if mix.channels == 2 else block[:, :1]
            for mix, block in zip(self._matrix.mixes, limited, strict=True)
        }

    def _new_limiters(self) -> Limiters:
        return Limiters(
            channels=[mix.channels for mix in self._matrix.mixes],
            ceilings_dbtp=[mix.ceiling_dbtp for mix in self._matrix.mixes],
            release_s=RELEASE_S,
            rate_hz=self._rate_hz,
        )

    def _set(self, mixes: Sequence[Mix]) -> None:
        before, old = self._limiters, self._matrix.mixes
        self._matrix = _Matrix(mixes)
        self._limiters = self._new_limiters()
        stands = {(mix.listener, mix.channels, mix.ceiling_dbtp): at for at, mix in enumerate(old)}
        self._limiters.go_on_from(
            before,
            [
                (place, stands[key])
                for place, mix in enumerate(mixes)
                if (key := (mix.listener, mix.channels, mix.ceiling_dbtp)) in stands
            ],
        )


class _Matrix:
    """The gains of all mixes: a row for each mix, a column for each signal at each depth of
    ducking."""

    def __init__(self, mixes: Sequence[Mix]) -> None:
        self.mixes = tuple(mixes)
        # What drops by as much stands side by side, so that it drops at once.
        self._columns = sorted(
            {(send.signal, send.duck_db) for mix in mixes for send in mix.sends},
            key=lambda column: column[::-1],
        )
        self._depths = [
            (depth, slice(places[0], places[-1] + 1))
            for depth, places in self._places_by_depth().items()
            if depth
        ]
        self._held = np.empty((len(self._columns), 0, 2)), np.empty((len(mixes), 0, 2))
        self._mono = [row for row, mix in enumerate(mixes) if mix.channels == 1]
        self._gains = np.zeros((len(mixes), len(self._columns)))
        for row, mix in enumerate(mixes):
            for send in mix.sends:
                column = self._columns.index((send.signal, send.duck_db))
                self._gains[row, column] += amplitude_from_db(send.gain_db)

    def _arrays(self, count: int) -> tuple[Samples, Samples]:
        # Kept: so much memory, given back and asked for at every block, would cost more than sums.
        if self._held[0].shape[1] != count:
            self._held = (
                np.empty((len(self._columns), count, 2)),
                np.empty((len(self.mixes), count, 2)),
            )
        return self._held

    def _places_by_depth(self) -> dict[float, list[int]]:
        found: dict[float, list[int]] = {}
        for place, (_, depth) in enumerate(self._columns):
            found.setdefault(depth, []).append(place)
        return found

    def mix(self, signals: Mapping[str, Samples], count: int, shares: Samples) -> Samples:
        """The sums ``(mixes, count, 2)``; those of one channel have the mean of both in both. The
        next block's take their place."""
        columns, total = self._arrays(count)
        for place, (name, _) in enumerate(self._columns):
            block = signals.get(name, _SILENCE)
            columns[place, : len(block)] = block if block.ndim == 2 else block[:, None]
            if len(block) < count:
                columns[place, len(block) :] = 0.0
        flat = columns.reshape(len(columns), 2 * count)
        for depth, places in self._depths:
            flat[places] *= np.repeat(ducked(shares, depth), 2)
        if not np.isfinite(np.vdot(flat, flat)):
            columns[~np.isfinite(columns)] = 0.0
        np.matmul(self._gains, flat, out=total.reshape(len(self.mixes), 2 * count))
        for row in self._mono:
            both = total[row]
            # Cheaper than a mean along so short an axis.
            both[:] = (0.5 * (both[:, 0] + both[:, 1]))[:, None]
        return total

    def in_order(self, other: _Matrix, sums: Samples) -> Samples:
        """The ``(mixes, n, 2)`` sums of other mixes in the order of these, by listener; silence
        for who is new."""
        found = np.zeros((len(self.mixes), *sums.shape[1:]))
        places = {mix.listener: at for at, mix in enumerate(other.mixes)}
        for row, mix in zip(found, self.mixes, strict=True):
            if mix.listener in places:
                row[:] = sums[places[mix.listener]]
        return found


def _finite(block: Samples) -> Samples:
    return (
        block if np.isfinite(block.sum()) else np.asarray(np.where(np.isfinite(block), block, 0.0))
    )
