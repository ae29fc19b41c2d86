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

from obsidian_wren.core.chain.short_time import (
    SPECTRAL_DELAY_S,
    ShortTime,
    Weigh,
    analysed,
    put_together,
)
from obsidian_wren.core.chain.speech_presence import Presence, suppress
from obsidian_wren.core.chain.stage import BadSetting, number, rows
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.wording import _

# Noise alone passes the floor now and then; with so much more it falls by what was asked.
_DEEPER = 19.0 / 18.0
_NOTHING = np.empty(0)
# What a profile can hold, in Hz and dB re full scale squared per Hz.
_PROFILE_HZ, _PROFILE_DB = (0.0, 400_000.0), (-1000.0, 100.0)
_VOICED_HZ = (100.0, 8000.0)


class NoiseReduction:
    """Runs a :class:`NoiseReductionSpec` at a rate."""

    kind = "noise_reduction"

    def __init__(self, spec: NoiseReductionSpec, *, rate_hz: float) -> None:
        self.gain_db = None
        self._frames = ShortTime(rate_hz=rate_hz, delay_s=SPECTRAL_DELAY_S)
        # One frame more: what comes next tells whether speech begins.
        self.delay_samples = self._frames.delay_samples + self._frames.hop
        hz = np.fft.rfftfreq(self._frames.length, 1.0 / rate_hz)
        voiced = np.searchsorted(hz, _VOICED_HZ)
        self._voiced = slice(int(voiced[0]), int(voiced[1]))
        self._presence = Presence(
            1.0 / _expected_powers(spec, self._frames.window, rate_hz=rate_hz),
            hop_s=self._frames.hop / rate_hz,
            follow_s=spec.follow_s,
            voiced=(self._voiced.start, self._voiced.stop),
        )
        self._floor = amplitude_from_db(-_DEEPER * spec.reduction_db)
        self._behind: Weigh | None = None
        hop = self._frames.hop
        # In step with what the frames have ready.
        self._ready, self._waits = np.zeros(3 * hop), np.array([float(hop)])
        self.likelihood_db = _NOTHING

    @property
    def state(self) -> tuple[Samples, ...]:
        """Frames under way, the averages over them, and the likelihood ratios that wait for their
        samples. ``(n,)`` and ``(rows, bins)``."""
        return (*self._frames.state, *self._presence.state, self._ready, self._waits)

    @property
    def strayed_db(self) -> float:
        """How far the room of the last seconds stands over its profile, dB, the median from 100 Hz
        to 8 kHz; under it where negative."""
        return float(np.median(10.0 * np.log10(self._presence.least[self._voiced] + 1e-12)))

    def process(self, block: Samples) -> Samples:
        """Lower the noise in ``(n,)`` samples; the output lags by ``delay_samples``.

        ``likelihood_db`` then holds the likelihood ratio of speech in what left, ``(n,)``.
        """
        out, likelihoods_db = [], []
        for part in self._frames.parts(block):
            spectra = analysed(part, self._frames.arrays)
            likelihoods = suppress(spectra, self._presence.arrays, self._floor)
            if self._behind is not None and len(spectra):
                self._behind(spectra)
            out.append(put_together(spectra, len(part), self._frames.arrays))
            hop = self._frames.hop
            likelihoods_db.append(_spread(likelihoods, len(part), hop, self._ready, self._waits))
        self.likelihood_db = (
            likelihoods_db[0] if len(likelihoods_db) == 1 else np.concatenate(likelihoods_db)
        )
        return out[0] if len(out) == 1 else np.concatenate(out)

    def let_weigh(self, behind: Weigh) -> None:
        """Let another stage weigh the same spectra behind this one."""
        self._behind = behind


@kernel("f8[::1](f8[::1], i8, i8, f8[::1], f8[::1])")
def _spread(per_frame: Samples, count: int, hop: int, ready: Samples, waits: Samples) -> Samples:
    """What frames tell, for the samples that leave, as the frames themselves are put together."""
    kept = int(waits[0])
    out = np.empty(kept + len(per_frame) * hop)
    out[:kept] = ready[:kept]
    for j in range(len(per_frame)):
        out[kept + j * hop : kept + (j + 1) * hop] = per_frame[j]
    waits[0] = len(out) - count
    ready[: len(out) - count] = out[count:]
    return out[:count]


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
        profile = rows(settings, "profile", _PROFILE_HZ, _PROFILE_DB)
        if len(profile) < 2:
            raise BadSetting(_("has no noise “profile”"))
        return cls(
            number(settings, "reduction_db"),
            tuple((hz, level_db) for hz, level_db in profile),
            on,
            # What an older version kept follows nothing.
            number({"follow_s": 0.0} | dict(settings), "follow_s"),
        )
