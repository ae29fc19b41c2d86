"""Learning a dial: what its numbers are in dB, from short takes of one steady sound at known
positions.

Knobs are numbered, sliders run in percent, and neither says how many decibels lie between two
marks. The level of the same sound at two marks does.

Source: practice: one sound at two marks; repeats are averaged by their variance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.taper import Taper


@dataclass(frozen=True)
class DialTake:
    """A take at a position: the level of its sound in dBFS and the standard error of it in dB."""

    position: float
    level_dbfs: float
    error_db: float


def learn(takes: Sequence[DialTake]) -> Taper:
    """The taper from takes at two or more positions; several at one position are averaged by their
    errors.

    Raises ValueError with a sentence when fewer than two positions are there, or when the level
    does not rise with the position.
    """
    positions = sorted({take.position for take in takes})
    if len(positions) < 2:
        raise ValueError(
            "One position cannot describe a dial. Turn it, make the same sound and take it at a"
            " second position."
        )
    levels, errors = [], []
    for position in positions:
        here = [take for take in takes if take.position == position]
        weights = np.array([1.0 / max(take.error_db, 0.02) ** 2 for take in here])
        levels.append(float(weights @ np.array([take.level_dbfs for take in here]) / weights.sum()))
        errors.append(float(weights.sum() ** -0.5))
    for low, high, a, b in zip(levels, levels[1:], errors, errors[1:], strict=False):
        if high - low < -2.0 * float(np.hypot(a, b)) - 0.2:
            raise ValueError(
                "The level falls where the dial rises, so the sound was not the same at each"
                " position. Play one steady sound and take them again."
            )
    gains = [level - levels[0] for level in levels]
    # What fell by less than its error is level: a dial does not run backwards.
    gains = [float(g) for g in np.maximum.accumulate(gains)]
    return Taper(
        tuple(positions),
        tuple(gains),
        tuple(float(np.hypot(error, errors[0])) if i else 0.0 for i, error in enumerate(errors)),
    )


def steady_level(frame_power: Samples, noise_power: float = 0.0) -> tuple[float, float]:
    """Level of a steady sound in dB re full scale squared and its standard error in dB, from the
    powers of 10 ms frames ``(frames,)``.

    Frames of the loudest two thirds count, so that the pause before the sound does not;
    ``noise_power`` of the room is taken off.
    """
    strong = frame_power[frame_power >= np.percentile(frame_power, 33.0)]
    groups = (
        strong[: len(strong) // 10 * 10].reshape(-1, 10).mean(axis=1)
        if len(strong) >= 50
        else strong
    )
    mean = max(float(strong.mean()) - noise_power, 1e-30)
    error = float(np.std(groups) / np.sqrt(max(len(groups), 2)))
    return power_db(mean), power_db((mean + error) / mean)
