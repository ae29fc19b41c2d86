"""A loudspeaker in the room: what it plays reaches the microphone, somewhat distorted, through the
room, later, and by a clock of its own.

Source: the image sources of ``acoustics`` for the room; practice for a small loudspeaker.
"""

from __future__ import annotations

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.resampling import Resampler
from obsidian_wren.simulation import acoustics
from obsidian_wren.simulation.spec import LoudspeakerSpec, PlacementSpec, WorldSpec

# What is said of its level is said of sound of this level (RMS).
_STATED_DBFS = -26.0
# It is used up to about here.
_PEAK = 0.2
_SECOND, _THIRD = 0.05, 0.08
_BAND_HZ = (180.0, 11_000.0)


class Loudspeaker:
    """Takes what it plays block by block, and gives the pressure at the microphone, as much at a
    time."""

    def __init__(self, spec: WorldSpec, loudspeaker: LoudspeakerSpec) -> None:
        rate_hz = spec.interface.rate_hz
        placement = PlacementSpec(distance_m=loudspeaker.distance_m, angle_deg=90.0)
        response = acoustics.room_response(spec.room, placement, "omni", rate_hz)
        sections = scipy.signal.butter(2, _BAND_HZ, "bandpass", fs=rate_hz, output="sos")
        response = scipy.signal.sosfilt(sections, response) * loudspeaker.distance_m
        size = acoustics.pascals(loudspeaker.level_db_spl) * 10.0 ** (-_STATED_DBFS / 20.0)
        self._response = response * size
        self._tail = np.zeros(len(response) - 1)
        self._clock = Resampler(from_hz=rate_hz, to_hz=rate_hz)
        self._clock.ratio = 1.0 + 1e-6 * loudspeaker.clock_ppm
        late = max(0, round(loudspeaker.delay_s * rate_hz) - round(self._clock.delay_samples))
        self._waiting = np.zeros(late)

    def play(self, block: Samples) -> None:
        """The next ``(n,)`` samples that it plays."""
        u = block / _PEAK
        driven = _PEAK * (u + _SECOND * u**2 - _THIRD * u**3)
        late = self._clock.process(driven)[:, 0]
        self._waiting = np.concatenate([self._waiting, late])

    def reaches(self, count: int) -> Samples:
        """The pressure ``(count,)`` at the microphone in Pa; silence where it has nothing."""
        now, self._waiting = self._waiting[:count], self._waiting[count:]
        now = np.concatenate([now, np.zeros(count - len(now))])
        heard = scipy.signal.oaconvolve(now, self._response)
        heard[: len(self._tail)] += self._tail
        self._tail = heard[count:]
        return np.asarray(heard[:count])
