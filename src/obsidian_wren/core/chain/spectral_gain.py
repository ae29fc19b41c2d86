"""The gain that takes an interference out of a short-time spectrum.

Ephraim & Malah (1985), "Speech enhancement using a minimum mean-square error log-spectral amplitude estimator": gain
``ξ / (1 + ξ) · exp(½ E₁(v))`` with ``v = ξ γ / (1 + ξ)``; the a-priori ratio ξ is decision-directed (Ephraim & Malah 1984). The gain never
falls under a floor, so that what is left of the noise keeps its own character.
"""

from __future__ import annotations

import math

import numpy as np
import scipy.special
from numba import njit

from obsidian_wren.core.decibels import Samples

# exp(½ E₁(v)) on a grid of log v: a call of the exponential integral per bin would cost more than all the rest.
_LOG_LOW, _LOG_HIGH, _GRID = -14.0, 6.0, 2001
_LIFT = np.exp(0.5 * scipy.special.exp1(np.exp(np.linspace(_LOG_LOW, _LOG_HIGH, _GRID))))
_PER_LOG = (_GRID - 1) / (_LOG_HIGH - _LOG_LOW)
_LEAST_PRIOR = 10.0**-2.5


@njit(cache=True, nogil=True, fastmath=True)
def log_spectral_gain(prior: float, posterior: float, lift: Samples) -> float:
    """The gain of one bin from its a-priori and a-posteriori ratios."""
    share = prior / (1.0 + prior)
    v = share * posterior
    at = (math.log(max(v, 1e-12)) - _LOG_LOW) * _PER_LOG
    if at <= 0.0:
        return float(share * lift[0])
    if at >= _GRID - 1:
        return share
    below = int(at)
    return float(share * (lift[below] + (at - below) * (lift[below + 1] - lift[below])))


@njit(cache=True, nogil=True, fastmath=True)
def suppress(powers: Samples, noise: Samples, floor: float, smoothing: float, clean: Samples, gains: Samples, lift: Samples) -> None:
    """Gains ``(frames, bins)`` for powers over a noise ``(bins,)``. ``clean`` ``(bins,)`` is the last frame's estimate, carried over."""
    frames, bins = powers.shape
    for j in range(frames):
        for k in range(bins):
            posterior = powers[j, k] / noise[k]
            prior = max(smoothing * clean[k] / noise[k] + (1.0 - smoothing) * max(posterior - 1.0, 0.0), _LEAST_PRIOR)
            gain = min(log_spectral_gain(prior, posterior, lift), 1.0)
            clean[k] = gain * gain * powers[j, k]
            gains[j, k] = max(gain, floor)


def lift_table() -> Samples:
    """The tabled ``exp(½ E₁)``, for the kernels."""
    return _LIFT
