"""What listening programs do to a voice by themselves: noise removal, auto gain, echo cancelling,
thresholds, narrow bands, few bits.

Small, but they really process; each works on mono blocks of any size and remembers what it needs.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import plain

_FRAME_S = 0.02
_NO_SOUND_DB = -110.0
_NOISE_FLOOR_DB, _NOISE_RISE_DB_PER_S = -26.0, 3.0
_GAIN_AIM_DBFS, _MOST_GAIN_DB, _GAIN_DB_PER_S = -20.0, 18.0, 6.0
_OPEN_FOR_S = 0.3
_RIDES_OVER_DBFS = -50.0
_FAR_SPEAKS = 1e-5


class _Framed:
    """Cuts blocks into frames of 20 ms, works on each, and gives back as much as came in, a
    frame later."""

    def __init__(self, work: Callable[[Samples], Samples], rate_hz: int) -> None:
        self._work = work
        self._frame = round(_FRAME_S * rate_hz)
        self._waiting = np.zeros(0)
        self._done = np.zeros(self._frame)

    def process(self, block: Samples) -> Samples:
        self._waiting = np.concatenate([self._waiting, block])
        whole = len(self._waiting) // self._frame * self._frame
        frames = self._waiting[:whole].reshape(-1, self._frame)
        self._waiting = self._waiting[whole:]
        self._done = np.concatenate([self._done, *[self._work(frame) for frame in frames]])
        out, self._done = self._done[: len(block)], self._done[len(block) :]
        return out


class NoiseRemoval:
    """Takes down every frame that stands little over the softest of late, as such things do:
    pauses go, soft word ends with them."""

    def __init__(self, rate_hz: int) -> None:
        self._framed = _Framed(self._frame, rate_hz)
        self._floor_db = 0.0
        self._gain = 1.0

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        return self._framed.process(block)

    def _frame(self, frame: Samples) -> Samples:
        level = 10.0 * np.log10(float(np.mean(frame**2)) + 1e-20)
        # Silence before anything plays is no room.
        if level > _NO_SOUND_DB:
            self._floor_db = min(level, self._floor_db + _NOISE_RISE_DB_PER_S * _FRAME_S)
        over = level - max(self._floor_db, -90.0)
        wanted = amplitude_from_db(_NOISE_FLOOR_DB * float(np.clip((14.0 - over) / 8.0, 0.0, 1.0)))
        ramp = np.linspace(self._gain, wanted, len(frame))
        self._gain = wanted
        return frame * ramp


class AutoGain:
    """Turns what speaks to one level, slowly."""

    def __init__(self, rate_hz: int) -> None:
        self._framed = _Framed(self._frame, rate_hz)
        self._gain_db = 0.0

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        return self._framed.process(block)

    def _frame(self, frame: Samples) -> Samples:
        before = self._gain_db
        level = 10.0 * np.log10(2.0 * float(np.mean(frame**2)) + 1e-20)
        if level > _RIDES_OVER_DBFS:
            most = _GAIN_DB_PER_S * _FRAME_S
            missing = float(np.clip(_GAIN_AIM_DBFS - level, -_MOST_GAIN_DB, _MOST_GAIN_DB))
            self._gain_db += float(np.clip(missing - self._gain_db, -most, most))
        return np.asarray(frame * 10.0 ** (np.linspace(before, self._gain_db, len(frame)) / 20.0))


class EchoCancelling:
    """Mutes what comes in while the far side speaks: the half-duplex that is left of echo
    cancelling without an echo."""

    def __init__(self, rate_hz: int) -> None:
        self._reach = 1.0 - np.exp(-1.0 / (0.05 * rate_hz))
        self._gain = 1.0

    def process(self, block: Samples, far: Samples) -> Samples:
        """Process ``(n,)`` samples while the far side plays as many."""
        loud = len(far) > 0 and float(np.mean(far**2)) > _FAR_SPEAKS
        wanted = amplitude_from_db(-15.0) if loud else 1.0
        gain = wanted + (self._gain - wanted) * (1.0 - self._reach) ** np.arange(1, len(block) + 1)
        if len(block):
            self._gain = float(gain[-1])
        return np.asarray(block * gain)


class Activation:
    """Lets nothing through under a threshold in dBFS (AES17), and closes 0.3 s after it was last
    reached."""

    def __init__(self, threshold_dbfs: float, rate_hz: int) -> None:
        self.threshold_dbfs = threshold_dbfs
        self._framed = _Framed(self._frame, rate_hz)
        self._left_s = 0.0
        self._gain = 0.0

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        return self._framed.process(block)

    def _frame(self, frame: Samples) -> Samples:
        level = 10.0 * np.log10(2.0 * float(np.mean(frame**2)) + 1e-20)
        self._left_s = (
            _OPEN_FOR_S if level >= self.threshold_dbfs else max(0.0, self._left_s - _FRAME_S)
        )
        wanted = 1.0 if self._left_s > 0.0 else 0.0
        ramp = np.linspace(self._gain, wanted, len(frame))
        self._gain = wanted
        return frame * ramp


class NarrowBand:
    """A telephone's band, and as many bits as a cheap connection has room for."""

    def __init__(self, rate_hz: int, bits: int) -> None:
        high = min(3600.0, 0.45 * rate_hz)
        self._sections = scipy.signal.butter(4, (200.0, high), "bandpass", fs=rate_hz, output="sos")
        self._state = np.zeros((len(self._sections), 2))
        self._steps = 2.0 ** (bits - 1)

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        narrow = np.empty(len(block))
        run_sections(self._sections, self._state, plain(block), narrow)
        # Companded before it is rounded (ITU-T G.711, µ-law), so that soft sounds keep some of
        # their shape.
        squeezed = (
            np.sign(narrow) * np.log1p(255.0 * np.minimum(np.abs(narrow), 1.0)) / np.log(256.0)
        )
        rounded = np.round(squeezed * self._steps) / self._steps
        return np.asarray(np.sign(rounded) * np.expm1(np.abs(rounded) * np.log(256.0)) / 255.0)
