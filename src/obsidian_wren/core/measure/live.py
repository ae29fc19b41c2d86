"""A meter for sound as it arrives: level, peak, clipped samples and running third octaves, block
by block.

Source: AES17 for levels, IEC 61260-1 for third octaves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.clipping import clipped_samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs, rms_dbfs
from obsidian_wren.core.measure.spectrum import Spectrum, a_weighted_dbfs, third_octaves

FRAME_S = 0.05
_WINDOW_S = 0.34
_SMOOTHING_S = 0.6


@dataclass(frozen=True)
class Frame:
    """One twentieth of a second.

    Levels in dBFS (AES17), ``short_dbfs`` those of its 10 ms frames; ``bands_dbfs`` and
    ``a_weighted_dbfs`` run with a time constant of 0.6 s.
    """

    level_dbfs: float
    peak_dbfs: float
    short_dbfs: tuple[float, ...]
    clipped: int
    a_weighted_dbfs: float
    bands_hz: tuple[float, ...]
    bands_dbfs: tuple[float, ...]


class BlockMeter:
    """Takes blocks ``(n,)`` of any length and gives a :class:`Frame` for every 50 ms of sound.

    Its memory does not grow.
    """

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._frame = round(FRAME_S * rate_hz)
        self._length = 1 << round(np.log2(_WINDOW_S * rate_hz))
        self._window = np.hanning(self._length + 1)[:-1]
        self._scale = 2.0 / (self._length * float(self._window @ self._window))
        self._hz: Samples = np.asarray(np.fft.rfftfreq(self._length, 1.0 / rate_hz))
        self._past = np.zeros(self._length)
        self._running: Samples | None = None
        self._keep = float(np.exp(-FRAME_S / _SMOOTHING_S))
        self._waiting = np.zeros(0)
        self._seen = 0

    def add(self, block: Samples) -> list[Frame]:
        """The frames that this block completes."""
        self._waiting = np.concatenate([self._waiting, block])
        found = []
        while len(self._waiting) >= self._frame:
            found.append(self._look(self._waiting[: self._frame]))
            self._waiting = self._waiting[self._frame :]
        return found

    def _look(self, samples: Samples) -> Frame:
        self._past = np.concatenate([self._past[len(samples) :], samples])
        self._seen = min(self._seen + len(samples), self._length)
        bins = np.fft.rfft(self._past * self._window)
        # Until the window is full, what is there stands for all of it.
        power = (bins.real**2 + bins.imag**2) * (self._scale * self._length / self._seen)
        self._running = (
            power
            if self._running is None
            else self._keep * self._running + (1.0 - self._keep) * power
        )
        spectrum = Spectrum(self._hz, self._running)
        bands = third_octaves(spectrum)
        return Frame(
            level_dbfs=rms_dbfs(samples),
            peak_dbfs=peak_dbfs(samples),
            short_dbfs=tuple(float(v) for v in frame_levels_dbfs(samples, rate_hz=self._rate_hz)),
            clipped=clipped_samples(samples),
            a_weighted_dbfs=a_weighted_dbfs(spectrum),
            bands_hz=tuple(band.centre_hz for band in bands),
            bands_dbfs=tuple(band.level_dbfs for band in bands),
        )
