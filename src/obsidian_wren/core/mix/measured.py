"""How loud a signal comes, on one channel and on two.

Source: ITU-R BS.1770-4.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.loudness import integrated_lufs

# One channel put on both sides is 3 dB louder (BS.1770-5 adds the channels' power).
_BOTH_SIDES_LU = 3.0103


@dataclass(frozen=True)
class Measured:
    """How loud a signal comes: LUFS folded to one channel, and as it is heard on two."""

    mono_lufs: float
    stereo_lufs: float

    @classmethod
    def of(cls, samples: Samples, *, rate_hz: float) -> Measured | None:
        """Measure ``(n,)`` or ``(n, 2)`` samples; None where nothing passes the gates."""
        mono = samples if samples.ndim == 1 else samples.mean(axis=1)
        both = np.column_stack([samples, samples]) if samples.ndim == 1 else samples
        found = cls(integrated_lufs(mono, rate_hz=rate_hz), integrated_lufs(both, rate_hz=rate_hz))
        return found if np.isfinite([found.mono_lufs, found.stereo_lufs]).all() else None

    @classmethod
    def of_one_channel(cls, lufs: float) -> Measured:
        """What one channel of that loudness measures; both sides carry it where it is heard on
        two."""
        return cls(lufs, lufs + _BOTH_SIDES_LU)

    def on(self, channels: int) -> float:
        """Its loudness in LUFS in a mix of one or two channels."""
        return self.mono_lufs if channels == 1 else self.stereo_lufs
