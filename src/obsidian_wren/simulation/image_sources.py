"""The response of a room with walls at right angles, by the images of a source in them.

Allen & Berkley (1979), "Image method for efficiently simulating small-room acoustics"; Sabine's
formula for how much the walls take.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
import numpy.typing as npt
import scipy.signal

from obsidian_wren.core.decibels import Samples

SPEED_OF_SOUND = 343.0
# Of a pulse between samples: how long it is, and between how many places in a sample one is taken.
_TAPS, _PLACES = 81, 64
# All images are pulses of one sign, which add up to a pressure that no room holds.
_HOLDS_FROM_HZ = 10.0


def walls(decay_s: float, size_m: tuple[float, float, float]) -> tuple[float, int]:
    """What share of the pressure comes back from a wall, and how many walls deep the images of a
    whole decay lie."""
    pairs = list(itertools.combinations(size_m, 2))
    surface = 2.0 * sum(a * b for a, b in pairs)
    taken = 24.0 * math.log(10.0) * math.prod(size_m) / (SPEED_OF_SOUND * surface * decay_s)
    across = min(a * b / math.hypot(a, b) for a, b in pairs)
    return math.sqrt(1.0 - taken), math.ceil(SPEED_OF_SOUND * decay_s / across - 1.0)


def image_response(
    size_m: Samples,
    source: Samples,
    microphone: Samples,
    *,
    facing: Samples | None,
    comes_back: float,
    order: int,
    rate_hz: float,
) -> Samples:
    """What a microphone hears of a pulse ``(n,)``: each image by its distance and by the walls
    between, as a cardioid that is ``facing`` hears it, or one that hears all around.

    Places are ``(3,)``, in metres.
    """
    steps = np.arange(-order, order + 1)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    images = grid[np.abs(grid).sum(axis=1) <= order]
    mirrored = (images + 1) * size_m - source
    at = np.where(images % 2 == 0, images * size_m + source, mirrored) - microphone
    distance = np.linalg.norm(at, axis=1)
    heard = comes_back ** np.abs(images).sum(axis=1) / distance
    if facing is not None:
        heard *= 0.5 * (1.0 + at @ facing / distance)
    response = _pulses(distance / SPEED_OF_SOUND * rate_hz, heard)
    held = scipy.signal.butter(2, _HOLDS_FROM_HZ, "highpass", fs=rate_hz, output="sos")
    return np.asarray(scipy.signal.sosfiltfilt(held, response))


def _pulses(late: npt.NDArray[np.float64], strength: Samples) -> Samples:
    """Pulses of a strength so many samples late, between samples too, all half a pulse later."""
    taps = np.arange(_TAPS) - _TAPS // 2
    between = taps - (np.arange(_PLACES + 1) / _PLACES)[:, None]
    table = np.sinc(between) * (0.5 + 0.5 * np.cos(2.0 * np.pi * between / (_TAPS + 1)))
    first = np.floor(late).astype(int)
    pulses = strength[:, None] * table[np.round((late - first) * _PLACES).astype(int)]
    at = (first[:, None] + np.arange(_TAPS)).ravel()
    return np.asarray(np.bincount(at, pulses.ravel()), dtype=np.float64)
