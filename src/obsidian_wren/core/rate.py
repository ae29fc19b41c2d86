"""From one fixed rate to another.

Source: the SoX resampler, linear phase.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
import soxr

from obsidian_wren.core.decibels import Samples


def at_rate(
    samples: Samples, rate_hz: float, wanted_hz: float, *, quality: Literal["VHQ", "LQ"] = "VHQ"
) -> Samples:
    """``(n,)`` samples at another rate, ``(ceil(n * wanted_hz / rate_hz),)``, in time with them.

    ``VHQ`` keeps what lies under 0.45 of the lower rate and lets nothing fold over -140 dB; ``LQ``
    will do where only the low end is looked at. Linear phase (the SoX resampler). Raises nothing
    for empty samples.
    """
    if rate_hz == wanted_hz or not len(samples):
        return samples
    count = math.ceil(len(samples) * wanted_hz / rate_hz - 1e-9)
    # Its last samples come short of a block by rounding.
    resampled = soxr.resample(samples, rate_hz, wanted_hz, quality=quality)[:count]
    return np.pad(np.asarray(resampled), (0, count - len(resampled)))
