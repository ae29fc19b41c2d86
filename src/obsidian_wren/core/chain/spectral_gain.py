"""The gain that takes an interference out of a short-time spectrum.

Ephraim & Malah (1985), "Speech enhancement using a minimum mean-square error log-spectral amplitude
estimator": gain ``ξ / (1 + ξ) · exp(½ E₁(v))`` with ``v = ξ γ / (1 + ξ)``; the a-priori ratio ξ is
decision-directed (Ephraim & Malah 1984). The gain never falls under a floor, so that what is left
of the noise keeps its own character.
"""

from __future__ import annotations

import math

from obsidian_wren.core.kernel import kernel

# exp(½ E₁(v)) · √(v / (1 + v)) is smooth and lies between 0.75 and 1: a polynomial of v / (1 + v)
# within 0.001 of it, fitted at 4096 points; a call of the exponential integral per bin would cost
# more than all the rest.
LIFT = (
    0.7502298284855544,
    -0.03757978832176444,
    0.4459926876966502,
    -1.1660047864153151,
    1.9214624960286015,
    -0.9142898670940345,
)


@kernel(fastmath=True, error_model="numpy")
def log_spectral_gain(prior: float, posterior: float) -> float:
    """The gain of one bin from its a-priori and a-posteriori ratios, at most 1."""
    share = prior / (1.0 + prior)
    v = share * posterior + 1e-12
    at = v / (1.0 + v)
    a, b, c, d, e, f = LIFT
    lift = a + at * (b + at * (c + at * (d + at * (e + at * f))))
    return min(float(share * lift / math.sqrt(at)), 1.0)
