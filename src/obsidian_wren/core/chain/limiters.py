"""Limiters over several sounds in one pass: what each listener of a mix has behind its sum.

Source: :mod:`obsidian_wren.core.chain.limiter`; channels are linked, as is practice.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from obsidian_wren.core.chain.between_samples import BOUND, FOLDED, SHARP
from obsidian_wren.core.chain.limiter import GUARD_DB, Needs, limit
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.measure.highest import BetweenBound


@kernel(
    "void(f8[:, :, :], f8[:, :, ::1], f8[::1], f8[::1], f8[::1], i8, Tuple((f8[:, ::1], "
    "f8[:, ::1], BetweenBound)), f8, Tuple((f8[:, :, ::1], f8[:, ::1], f8[:, ::1], f8[:, "
    "::1])))"
)
def _limit_each(
    sounds: Samples,
    out: Samples,
    deepest: Samples,
    channels: Samples,
    ceilings: Samples,
    delay: int,
    looks: tuple[Samples, Samples, BetweenBound],
    release: float,
    state: tuple[Samples, Samples, Samples, Samples],
) -> None:
    folded, sharp, bound = looks
    past, needed, given, memory = state
    for place in range(len(sounds)):
        count = int(channels[place])
        deepest[place] = limit(
            sounds[place, :count],
            out[place],
            past[place],
            delay,
            folded,
            sharp,
            bound,
            ceilings[place],
            release,
            needed[place],
            given[place],
            memory[place],
        )
        out[place, :, count:] = 0.0


class Limiters:
    """Limiters over several sounds at once, each with a ceiling in dBTP and one channel or two.

    Both channels of a sound get the gain that the higher needs, so that nothing moves to a side.
    """

    def __init__(
        self,
        *,
        channels: Sequence[int],
        ceilings_dbtp: Sequence[float],
        release_s: float,
        rate_hz: float,
    ) -> None:
        needs = Needs(release_s=release_s, rate_hz=rate_hz)
        count = len(channels)
        self.delay_samples = needs.delay_samples
        self._lowest = np.ones(count)
        self._channels = np.array(channels, dtype=float)
        self._ceilings = 10.0 ** ((np.array(ceilings_dbtp, dtype=float) - GUARD_DB) / 20.0)
        self._release = needs.release
        self._state = (
            np.zeros((count, 2, needs.held)),
            np.tile(needs.needed, (count, 1)),
            np.tile(needs.given, (count, 1)),
            np.tile(needs.memory, (count, 1)),
        )

    def process(self, sounds: Samples) -> Samples:
        """Limit ``(sounds, channels, n)`` samples to ``(sounds, n, channels)``, later by
        ``delay_samples``; what a sound has beyond its channels is left out, and zero."""
        many, channels, count = sounds.shape
        out, deepest = np.empty((many, count, channels)), np.empty(many)
        _limit_each(
            sounds,
            out,
            deepest,
            self._channels,
            self._ceilings,
            self.delay_samples,
            (FOLDED, SHARP, BOUND),
            self._release,
            self._state,
        )
        np.minimum(self._lowest, deepest, out=self._lowest)
        return out

    def take_gains_db(self) -> Samples:
        """The lowest gain of each sound since it was asked last, ``(sounds,)``, dB."""
        found, self._lowest = self._lowest, np.ones(len(self._lowest))
        return amplitude_db(found)

    def go_on_from(self, before: Limiters, places: Sequence[tuple[int, int]]) -> None:
        """Let sounds of these, by place, go on where sounds of others stand: ``(ours, theirs)``."""
        for ours, theirs in places:
            self._lowest[ours] = before._lowest[theirs]
            for mine, its in zip(self._state, before._state, strict=True):
                mine[ours] = its[theirs]
