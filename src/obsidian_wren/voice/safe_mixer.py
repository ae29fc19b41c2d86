"""The mixes of a run, which go on when making them fails once."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.mix.channels import mono
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixEngine
from obsidian_wren.core.wording import _

_TAPS = ("raw", "treated", "at once")


def voice_signals(voices: Collection[str]) -> frozenset[str]:
    """The signals of voices by their keys, such as ``voice treated``; no unit."""
    return frozenset(f"{key} {tap}" for key in voices for tap in _TAPS)


def without_voices(mix: Mix, voices: Collection[str]) -> Mix:
    """A mix without the signals of its voices. Nothing ducks under a voice that is not heard, so
    every depth is 0 dB."""
    silent = voice_signals(voices)
    sends = tuple(replace(send, duck_db=0.0) for send in mix.sends if send.signal not in silent)
    return replace(mix, sends=sends)


class SafeMixer:
    """Makes every mix of a block.

    Where that fails, listeners get silence for a block and everything in the mixes begins afresh;
    failing twice in a row is raised. ``voices``: the keys of what a mute keeps out.
    """

    def __init__(
        self, mixes: Sequence[Mix], ducking: Ducking, rate_hz: int, voices: Collection[str] = ()
    ) -> None:
        self._wanted = list(mixes)
        self._voices = frozenset(voices)
        self._muted: frozenset[str] = frozenset()
        self._mixes = list(mixes)
        self._ducking = ducking
        self._rate_hz = rate_hz
        self._engine = self._new_engine()
        self._failed_before = False
        self._last: dict[str, Samples] = {}

    def _new_engine(self) -> MixEngine:
        return MixEngine(self._mixes, ducking=self._ducking, rate_hz=self._rate_hz)

    @property
    def delay_samples(self) -> int:
        """Delay of the mixes in samples."""
        return self._engine.delay_samples

    @property
    def duck_share(self) -> float:
        """How far the ducking is on, 0 to 1."""
        return self._engine.duck_share

    def change(self, mixes: Sequence[Mix]) -> None:
        """Go over to other mixes without a click."""
        self._wanted = list(mixes)
        self._go_over()

    def mute(self, listeners: frozenset[str]) -> None:
        """Keep the voices out of the mixes of these listeners, without a click."""
        if listeners != self._muted:
            self._muted = listeners
            self._go_over()

    def _go_over(self) -> None:
        self._mixes = [
            without_voices(mix, self._voices) if mix.listener in self._muted else mix
            for mix in self._wanted
        ]
        self._engine.change(self._mixes)

    @property
    def levels_dbfs(self) -> dict[str, float]:
        """The level of each mix in the last block, folded to one channel."""
        return {key: rms_dbfs(mono(block)) for key, block in self._last.items()}

    def take_limited_db(self) -> dict[str, float]:
        """The lowest gain of each mix's limiter since it was asked last, dB."""
        return self._engine.take_limited_db()

    def process(
        self, signals: Mapping[str, Samples], count: int
    ) -> tuple[dict[str, Samples], tuple[str, ...]]:
        """The mixes of a block, ``(count, channels)`` each, and a sentence where they failed."""
        trouble: tuple[str, ...] = ()
        if not self._mixes:
            return {}, trouble
        try:
            mixed = self._engine.process(signals)
            self._failed_before = False
        except Exception as error:
            if self._failed_before:
                raise
            self._failed_before = True
            self._engine = self._new_engine()
            mixed = {mix.listener: np.zeros((count, mix.channels)) for mix in self._mixes}
            trouble = (
                _(
                    "Mixing failed ({name}); every listener got silence for a moment, then it"
                    " started again.",
                    name=type(error).__name__,
                ),
            )
        self._last = mixed
        return mixed, trouble
