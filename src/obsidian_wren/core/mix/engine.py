"""The mix engine: many sources in, a mix for each listener out, block by block.

All mixes are one matrix over the sources, so a further listener costs a row. What is ducked is
mixed apart and drops as one. Behind the sum a true-peak limiter keeps each listener's ceiling.

Source: by definition: a matrix of gains.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.limiter import LinkedLimiter
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked

_FADE_S = 0.03
RELEASE_S = 0.1


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

    ``over`` is the signal under which others duck. A signal that is missing is silence, and so is
    what is not finite.
    """

    def __init__(
        self, mixes: Sequence[Mix], *, over: str, ducking: Ducking, rate_hz: float
    ) -> None:
        self._rate_hz = rate_hz
        self._over = over
        self._ducker = Ducker(ducking, rate_hz=rate_hz)
        self._limiters: dict[str, tuple[Mix, LinkedLimiter]] = {}
        self._fading: _Matrix | None = None
        self._faded = 0
        self._matrix = _Matrix(())
        self._set(mixes)

    @property
    def delay_samples(self) -> int:
        """Samples by which every mix lags."""
        return max((limiter.delay_samples for _, limiter in self._limiters.values()), default=0)

    @property
    def duck_share(self) -> float:
        """How far what is ducked is down now, 0 to 1: times a send's own depth it is that send's
        drop in dB."""
        return self._ducker.share

    def limited_db(self, listener: str) -> float:
        """The lowest gain of a listener's limiter in the last block, dB."""
        return self._limiters[listener][1].gain_db

    def change(self, mixes: Sequence[Mix]) -> None:
        """Go over to other mixes without a click."""
        self._fading, self._faded = self._matrix, 0
        self._set(mixes)

    def process(self, signals: Mapping[str, Samples]) -> dict[str, Samples]:
        """``(n,)`` or ``(n, 2)`` samples by signal in; ``(n, channels)`` by listener out."""
        count = max((len(block) for block in signals.values()), default=0)
        clean = {name: _finite(block) for name, block in signals.items()}
        over = clean.get(self._over)
        shares = self._ducker.shares(_mono(over) if over is not None else np.zeros(count))
        mixed = self._matrix.mix(clean, count, shares)
        if self._fading is not None:
            before = self._fading.mix(clean, count, shares)
            fade = np.clip(
                (np.arange(count) + 1.0 + self._faded) / (_FADE_S * self._rate_hz), 0.0, 1.0
            )[:, None]
            for listener, block in mixed.items():
                mixed[listener] = block * fade + before.get(listener, np.zeros((count, 2))) * (
                    1.0 - fade
                )
            self._faded += count
            if self._faded >= _FADE_S * self._rate_hz:
                self._fading = None
        out = {}
        for listener, block in mixed.items():
            mix, limiter = self._limiters[listener]
            out[listener] = limiter.process(
                block if mix.channels == 2 else block.mean(axis=1, keepdims=True)
            )
        return out

    def _set(self, mixes: Sequence[Mix]) -> None:
        self._matrix = _Matrix(mixes)
        kept = {}
        for mix in mixes:
            before = self._limiters.get(mix.listener)
            same = before is not None and (before[0].channels, before[0].ceiling_dbtp) == (
                mix.channels,
                mix.ceiling_dbtp,
            )
            limiter = (
                before[1]
                if before is not None and same
                else LinkedLimiter(
                    channels=mix.channels,
                    ceiling_dbtp=mix.ceiling_dbtp,
                    release_s=RELEASE_S,
                    rate_hz=self._rate_hz,
                )
            )
            kept[mix.listener] = (mix, limiter)
        self._limiters = kept


class _Matrix:
    """The gains of all mixes, apart for each depth of ducking."""

    def __init__(self, mixes: Sequence[Mix]) -> None:
        self._listeners = [mix.listener for mix in mixes]
        self._signals = sorted({send.signal for mix in mixes for send in mix.sends})
        self._gains: dict[float, Samples] = {}
        for row, mix in enumerate(mixes):
            for send in mix.sends:
                gains = self._gains.setdefault(
                    send.duck_db, np.zeros((len(mixes), len(self._signals)))
                )
                gains[row, self._signals.index(send.signal)] += amplitude_from_db(send.gain_db)

    def mix(
        self, signals: Mapping[str, Samples], count: int, shares: Samples
    ) -> dict[str, Samples]:
        stacked = np.zeros((len(self._signals), count, 2))
        for place, name in enumerate(self._signals):
            block = signals.get(name)
            if block is not None:
                stacked[place, : len(block)] = block if block.ndim == 2 else block[:, None]
        flat = stacked.reshape(len(self._signals), 2 * count)
        total = np.zeros((len(self._listeners), count, 2))
        for depth, gains in self._gains.items():
            part = (gains @ flat).reshape(total.shape)
            total += part if depth == 0.0 else part * ducked(shares, depth)[None, :, None]
        return dict(zip(self._listeners, total, strict=True))


def _mono(block: Samples) -> Samples:
    return block if block.ndim == 1 else np.asarray(block.mean(axis=1))


def _finite(block: Samples) -> Samples:
    return (
        block if np.isfinite(block.sum()) else np.asarray(np.where(np.isfinite(block), block, 0.0))
    )
