"""The highest amount among samples, as fast as memory gives them.

Source: by definition; eight are followed at a time, since one alone waits for the one before.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.kernel import kernel


class BetweenBound(NamedTuple):
    """What bounds the values that interpolators of so many ``taps`` give between samples.

    None is higher than ``amount`` times the highest sample under the taps; nor than ``share`` times
    that and ``bend`` times the highest second difference of these samples; nor than ``energy``
    times the root of the sum of their squares.
    """

    amount: float
    share: float
    bend: float
    energy: float
    taps: int


@kernel("f8(f8[::1])", fastmath={"nnan", "nsz"})
def highest(samples: npt.NDArray[np.floating[Any]]) -> float:
    """The highest amount among ``(n,)`` samples, in their unit; 0 where there are none."""
    a, b, c, d, e, f, g, h = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    whole = len(samples) // 8 * 8
    for i in range(0, whole, 8):
        a, b = max(a, abs(samples[i])), max(b, abs(samples[i + 1]))
        c, d = max(c, abs(samples[i + 2])), max(d, abs(samples[i + 3]))
        e, f = max(e, abs(samples[i + 4])), max(f, abs(samples[i + 5]))
        g, h = max(g, abs(samples[i + 6])), max(h, abs(samples[i + 7]))
    for i in range(whole, len(samples)):
        a = max(a, abs(samples[i]))
    return float(max(a, b, c, d, e, f, g, h))
