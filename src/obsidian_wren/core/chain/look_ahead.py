"""How late a limiter is: known without loading what computes.

Source: :mod:`obsidian_wren.core.chain.limiter`.
"""

from __future__ import annotations

LOOK_AHEAD_S = 0.0015
# Values that an interpolator between samples looks at.
TAPS = 32
NEIGHBOURS = TAPS // 2
_LEAST_SPAN = 8


def look_ahead_samples(rate_hz: float) -> int:
    """How far a limiter's gain looks ahead, samples."""
    return max(_LEAST_SPAN, round(LOOK_AHEAD_S * rate_hz))


def limiter_delay_samples(rate_hz: float) -> int:
    """By how many samples a limiter's output lags its input at a rate."""
    return look_ahead_samples(rate_hz) + NEIGHBOURS
