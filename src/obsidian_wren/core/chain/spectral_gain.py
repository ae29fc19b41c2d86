"""The gain that takes an interference out of a short-time spectrum.

Ephraim & Malah (1985), "Speech enhancement using a minimum mean-square error log-spectral amplitude
estimator": gain ``ξ / (1 + ξ) · exp(½ E₁(v))`` with ``v = ξ γ / (1 + ξ)``; the a-priori ratio ξ is
decision-directed (Ephraim & Malah 1984). The gain never falls under a floor, so that what is left
of the noise keeps its own character.
"""

from __future__ import annotations

import math

import numpy as np
import scipy.special
from numba import njit

from obsidian_wren.core.chain.short_time import Spectra
from obsidian_wren.core.decibels import Samples

# exp(½ E₁(v)) · √(v / (1 + v)) is smooth and lies between 0.75 and 1; it is tabled over v / (1 +
# v), since a call of the exponential integral, or even a logarithm, per bin would cost more than
# all the rest.
_GRID = 1024
_AT = (np.arange(_GRID + 1) + 1e-9) / (_GRID + 2e-9)
_LIFT = np.concatenate(
    [
        [math.exp(-0.5 * np.euler_gamma)],
        (np.exp(0.5 * scipy.special.exp1(_AT / (1.0 - _AT))) * np.sqrt(_AT))[1:],
    ]
)
_LEAST_PRIOR = 10.0**-2.5


@njit(cache=True, nogil=True, fastmath=True)
def log_spectral_gain(prior: float, posterior: float, lift: Samples) -> float:
    """The gain of one bin from its a-priori and a-posteriori ratios.

    ``lift`` is that of :func:`lift_table`, ``(n,)``.
    """
    share = prior / (1.0 + prior)
    v = share * posterior + 1e-12
    at = v / (1.0 + v)
    place = at * _GRID
    below = min(int(place), _GRID - 1)
    return float(
        share / math.sqrt(at) * (lift[below] + (place - below) * (lift[below + 1] - lift[below]))
    )


@njit(cache=True, nogil=True, fastmath=True)
def suppress(
    spectra: Spectra,
    per_noise: Samples,
    floor: float,
    smoothing: float,
    clean: Samples,
    lift: Samples,
) -> None:
    """Weigh spectra ``(frames, bins)`` in place over a noise, given as ``per_noise`` ``(bins,)``,
    its inverse. ``clean`` ``(bins,)`` is the last frame's estimate, carried over.

    ``floor`` is the least gain, an amplitude ratio; ``smoothing`` the share of the last frame in
    the a-priori ratio.
    """
    frames, bins = spectra.shape
    for j in range(frames):
        for k in range(bins):
            power = spectra[j, k].real ** 2 + spectra[j, k].imag ** 2
            posterior = power * per_noise[k]
            prior = max(
                smoothing * clean[k] * per_noise[k] + (1.0 - smoothing) * max(posterior - 1.0, 0.0),
                _LEAST_PRIOR,
            )
            gain = min(log_spectral_gain(prior, posterior, lift), 1.0)
            clean[k] = gain * gain * power
            spectra[j, k] *= max(gain, floor)


def lift_table() -> Samples:
    """The tabled ``exp(½ E₁)``, for the kernels. ``(n,)``, over ``v / (1 + v)`` from 0 to 1."""
    return _LIFT
