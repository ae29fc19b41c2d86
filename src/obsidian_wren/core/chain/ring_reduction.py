"""The ring of the room, held: late reverberation is foretold from what was heard before and weighed
out. 8 ms of delay; none of its own right behind noise reduction, whose spectra it then weighs.

Lebart, Boucher & Denbigh (2001), "A new method based on spectral subtraction for speech
dereverberation", with the model of Habets (2009), "Late reverberant spectral variance estimation
based on a statistical model": a room of decay time T lets the power fall by 60 dB in T, so what is
late now is the power of 48 ms ago, faded by that much; of it only the share that the ring has of
the whole sound counts (the direct sound does not ring again). The gain is that of
``spectral_gain``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.short_time import SPECTRAL_DELAY_S, Carrier, ShortTime, Spectra
from obsidian_wren.core.chain.spectral_gain import log_spectral_gain
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_from_db, power_from_db
from obsidian_wren.core.kernel import kernel

LATE_FROM_S = 0.048
# How slowly the a-priori ratio follows.
_SMOOTHING_S = 0.066
_POWER_SMOOTHING_S = 0.02


@kernel(
    "i8(c16[:, ::1], f8[:, ::1], i8, f8[::1], f8[::1], f8, f8, f8, f8)",
    fastmath=True,
    error_model="numpy",
)
def _hold_ring(
    spectra: Spectra,
    past: Samples,
    at: int,
    mean: Samples,
    clean: Samples,
    fade: float,
    follow: float,
    floor: float,
    smoothing: float,
) -> int:
    frames, bins = spectra.shape
    power, per_late, gains = np.empty(bins), np.empty(bins), np.empty(bins)
    for j in range(frames):
        frame, oldest = spectra[j], past[at]
        for k in range(bins):
            power[k] = frame[k].real ** 2 + frame[k].imag ** 2 + 1e-20
        for k in range(bins):
            per_late[k] = 1.0 / (fade * oldest[k] + 1e-20)
        for k in range(bins):
            mean[k] += (power[k] - mean[k]) * follow
        oldest[:] = mean
        for k in range(bins):
            posterior = power[k] * per_late[k]
            prior = max(
                smoothing * clean[k] * per_late[k] + (1.0 - smoothing) * max(posterior - 1.0, 0.0),
                1e-3,
            )
            gains[k] = log_spectral_gain(prior, posterior)
        for k in range(bins):
            clean[k] = gains[k] * gains[k] * power[k]
        for k in range(bins):
            frame[k] *= max(gains[k], floor)
        at = at + 1 if at + 1 < len(past) else 0
    return at


class RingReduction:
    """Runs a :class:`RingReductionSpec` at a rate."""

    kind = "ring_reduction"

    def __init__(self, spec: RingReductionSpec, *, rate_hz: float) -> None:
        self.gain_db = None
        self._frames = ShortTime(rate_hz=rate_hz, delay_s=SPECTRAL_DELAY_S)
        self.delay_samples = self._frames.delay_samples
        bins = self._frames.length // 2 + 1
        hop_s = self._frames.hop / rate_hz
        late_hops = max(1, round(LATE_FROM_S / hop_s))
        self._past = np.zeros((late_hops, bins))
        self._mean, self._clean, self._at = np.zeros(bins), np.zeros(bins), np.zeros(1)
        self._follow = 1.0 - np.exp(-hop_s / _POWER_SMOOTHING_S)
        self._fade = late_share(spec.decay_s, spec.ring_share_db)
        self._smoothing = float(np.exp(-hop_s / _SMOOTHING_S))
        self._floor = amplitude_from_db(-spec.reduction_db)
        self._rides = False

    @property
    def state(self) -> tuple[Samples, ...]:
        """Frames under way and the powers of the last 48 ms.

        Frames ``(n,)``, powers ``(frames, bins)``.
        """
        return (*self._frames.state, self._past, self._mean, self._clean, self._at)

    def process(self, block: Samples) -> Samples:
        """Hold the ring in ``(n,)`` samples; the output lags by ``delay_samples``."""
        return block if self._rides else self._frames.process(block, self._weigh)

    def ride_on(self, before: Carrier) -> None:
        """Weigh the spectra of the stage right before this one instead of own ones: the same frames
        once, and no delay."""
        before.let_weigh(self._weigh)
        self._rides, self.delay_samples = True, 0

    def _weigh(self, spectra: Spectra) -> None:
        self._at[0] = _hold_ring(
            spectra,
            self._past,
            int(self._at[0]),
            self._mean,
            self._clean,
            self._fade,
            self._follow,
            self._floor,
            self._smoothing,
        )


def late_share(decay_s: float, ring_share_db: float) -> float:
    """The power now of what rings on from 48 ms ago, per power of the whole sound then.

    ``ring_share_db`` is the reverberant over the direct power: of a steady sound the share r / (1 +
    r) rings on.
    """
    ratio = power_from_db(ring_share_db)
    return ratio / (1.0 + ratio) * power_from_db(-60.0 * LATE_FROM_S / decay_s)


@dataclass(frozen=True)
class RingReductionSpec(Numbers):
    """Most reduction in dB, decay time of the room in s (to −60 dB), reverberant over direct
    power in dB."""

    kind: ClassVar[str] = "ring_reduction"
    reduction_db: float
    decay_s: float
    ring_share_db: float
    on: bool = True

    def build(self, *, rate_hz: float) -> RingReduction:
        """The stage at a rate."""
        return RingReduction(self, rate_hz=rate_hz)
