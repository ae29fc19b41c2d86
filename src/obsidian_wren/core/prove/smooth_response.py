"""What a microphone's response likely is between bands that are heard with different certainty.

A microphone's response bends slowly over frequency; what a room does to single bands does not.

Source: Rasmussen and Williams (2006), "Gaussian Processes for Machine Learning", chapter 2.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples

# Two microphones differ by this much, bending within half an octave, beside level and slope.
_APART_DB, _BENDS_OCTAVES = 4.0, 0.5
_LEVEL_DB, _SLOPE_DB = 20.0, 3.0
_KNOWN_BELOW_DB = 100.0


def likely_response(hz: Samples, db: Samples, error_db: Samples) -> tuple[Samples, Samples]:
    """The likeliest smooth response through bands ``(n,)`` at Hz, heard as ``db`` ``(n,)`` with
    standard errors ``error_db`` ``(n,)`` in dB, and its own standard errors ``(n,)``. A band that
    is not known stays as it is."""
    known = error_db < _KNOWN_BELOW_DB
    octaves = np.log2(hz[known] / 1000.0)
    apart = (octaves[:, None] - octaves[None, :]) / _BENDS_OCTAVES
    before = (
        _APART_DB**2 * np.exp(-0.5 * apart**2)
        + _LEVEL_DB**2
        + _SLOPE_DB**2 * np.outer(octaves, octaves)
    )
    gain = np.linalg.solve(before + np.diag(error_db[known] ** 2), before).T
    found, error = db.copy(), error_db.copy()
    found[known] = gain @ db[known]
    left = np.diag(before) - np.sum(gain * before, axis=1)
    error[known] = np.sqrt(np.maximum(left, 0.0))
    return found, error
