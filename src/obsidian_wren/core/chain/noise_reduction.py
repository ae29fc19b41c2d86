"""Noise reduction from the profile of the room at rest, 12 ms of delay.

The short-time spectrum (``short_time``) is weighed by the log-spectral amplitude gain where speech
is present and by the wanted reduction where it is not (``speech_presence``). Where the noise
profile is unknown the stage passes the sound.

Source: Cohen and Berdugo (2001); see ``speech_presence`` and ``spectral_gain``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from obsidian_wren.core.chain.short_time import ShortTime, Spectra
from obsidian_wren.core.chain.speech_presence import Presence
from obsidian_wren.core.chain.stage import BadSetting, number
from obsidian_wren.core.decibels import Samples, amplitude_from_db

DELAY_S = 0.008
# Noise alone passes the floor now and then; with so much more it falls by what was asked.
_DEEPER = 19.0 / 18.0
_TOLD_HZ = (100.0, 8000.0)


class NoiseReduction:
    """Runs a :class:`NoiseReductionSpec` at a rate."""

    kind = "noise_reduction"

    def __init__(self, spec: NoiseReductionSpec, *, rate_hz: float) -> None:
        self.gain_db = None
        self._frames = ShortTime(rate_hz=rate_hz, delay_s=DELAY_S)
        # One frame more: what comes next tells whether speech begins.
        self.delay_samples = self._frames.delay_samples + self._frames.hop
        self._presence = Presence(
            1.0 / _expected_powers(spec, self._frames.window, rate_hz=rate_hz),
            hop_s=self._frames.hop / rate_hz,
            follow_s=spec.follow_s,
        )
        hz = np.fft.rfftfreq(self._frames.length, 1.0 / rate_hz)
        self._told = (hz >= _TOLD_HZ[0]) & (hz <= _TOLD_HZ[1])
        self._floor = amplitude_from_db(-_DEEPER * spec.reduction_db)

    @property
    def state(self) -> tuple[Samples, ...]:
        """Frames under way and the averages over them. ``(n,)`` and ``(rows, bins)``."""
        return (*self._frames.state, *self._presence.state)

    @property
    def strayed_db(self) -> float:
        """How far the room of the last seconds stands over its profile, dB, the median from 100 Hz
        to 8 kHz; under it where negative."""
        return float(np.median(10.0 * np.log10(self._presence.least[self._told] + 1e-12)))

    def process(self, block: Samples) -> Samples:
        """Lower the noise in ``(n,)`` samples; the output lags by ``delay_samples``."""
        return self._frames.process(block, self._weigh)

    def _weigh(self, spectra: Spectra) -> None:
        self._presence.weigh(spectra, self._floor)


def _expected_powers(spec: NoiseReductionSpec, window: Samples, *, rate_hz: float) -> Samples:
    """The profile as the power that a frame's bins are expected to hold."""
    hz = np.array([row[0] for row in spec.profile])
    density = np.array([row[1] for row in spec.profile])
    bins = np.fft.rfftfreq(len(window), 1.0 / rate_hz)
    # One-sided density over the whole rate: half of it falls on each of a bin and its mirror.
    return (
        np.asarray(
            10.0 ** (np.interp(bins, hz, density) / 10.0) * rate_hz / 2.0 * float(window @ window)
        )
        + 1e-20
    )


@dataclass(frozen=True)
class NoiseReductionSpec:
    """Floor lowered by ``reduction_db``; ``profile``: rows of Hz and one-sided density in dB re
    full scale squared per Hz; ``follow_s``: how slowly it follows the room, s to 63 %, 0 for not at
    all."""

    kind: ClassVar[str] = "noise_reduction"
    reduction_db: float
    profile: tuple[tuple[float, float], ...]
    on: bool = True
    follow_s: float = 0.0

    def build(self, *, rate_hz: float) -> NoiseReduction:
        """The stage at a rate."""
        return NoiseReduction(self, rate_hz=rate_hz)

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From ``reduction_db``, ``follow_s`` (where there is one) and ``profile``, rows of Hz and
        dB per Hz. Raises BadSetting."""
        rows = settings.get("profile")
        if not isinstance(rows, (list, tuple)) or len(rows) < 2:
            raise BadSetting("has no “profile” of the noise")
        return cls(
            number(settings, "reduction_db"),
            tuple((float(row[0]), float(row[1])) for row in rows),
            on,
            # What an older version kept follows nothing.
            number({"follow_s": 0.0} | dict(settings), "follow_s"),
        )
