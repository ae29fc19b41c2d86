"""Bursts like words, with known edges."""

import numpy as np

from obsidian_wren.simulation import acoustics
from signals import RATE

STARTS = (0.5, 1.2, 1.75, 2.9, 4.0)
LENGTHS = (0.4, 0.3, 0.6, 0.25, 0.7)


def words_at(starts=STARTS, lengths=LENGTHS, *, peak=0.2, seconds=6.0, edge_s=0.01):
    """Bursts of speech-shaped noise with known edges."""
    rng = np.random.default_rng(3)
    sound = np.zeros(round(seconds * RATE))
    for start, length in zip(starts, lengths, strict=True):
        count_ = round(length * RATE)
        burst = acoustics.shaped_noise(
            count_, RATE, rng, ((80.0, -10.0), (200.0, 0.0), (3000.0, -12.0), (12_000.0, -30.0))
        )
        ramp = np.clip(
            np.minimum(np.arange(count_), count_ - np.arange(count_)) / (edge_s * RATE), 0.0, 1.0
        )
        first = round(start * RATE)
        sound[first : first + count_] += burst * ramp * peak / 3.0
    return sound
