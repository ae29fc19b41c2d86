"""Learning a dial: what its numbers are in dB, from short takes of one steady sound at known positions.

Knobs are numbered, sliders run in percent, and neither says how many decibels lie between two marks. The level of the same sound at
two marks does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy.interpolate

from obsidian_wren.core.decibels import Samples, power_db


@dataclass(frozen=True)
class DialTake:
    """A take at a position: the level of its sound in dBFS and the standard error of it in dB."""

    position: float
    level_dbfs: float
    error_db: float


@dataclass(frozen=True)
class Taper:
    """Gain in dB at rising positions, relative to the first, with the error of each difference to it in dB."""

    positions: tuple[float, ...]
    gains_db: tuple[float, ...]
    errors_db: tuple[float, ...]

    @property
    def error_db(self) -> float:
        """The largest error of a learned position."""
        return max(self.errors_db)

    @property
    def db_per_unit(self) -> float:
        """Mean slope over what was learned, dB for each number of the dial."""
        return (self.gains_db[-1] - self.gains_db[0]) / (self.positions[-1] - self.positions[0])

    def gain_db(self, position: float) -> float:
        """Gain at a position: monotone cubic between learned ones (Fritsch & Carlson 1980), straight on beyond the ends."""
        x, y = np.array(self.positions), np.array(self.gains_db)
        if position < x[0]:
            return float(y[0] + (position - x[0]) * (y[1] - y[0]) / (x[1] - x[0]))
        if position > x[-1]:
            return float(y[-1] + (position - x[-1]) * (y[-1] - y[-2]) / (x[-1] - x[-2]))
        return float(np.interp(position, x, y) if len(x) < 3 else scipy.interpolate.PchipInterpolator(x, y)(position))

    def covers(self, position: float) -> bool:
        """Whether a position lies between learned ones."""
        return self.positions[0] <= position <= self.positions[-1]

    def position_for(self, start: float, change_db: float, *, low: float, high: float) -> float:
        """Where to turn from ``start`` for ``change_db``, within ``low`` and ``high``."""
        grid = np.linspace(low, high, 2001)
        wanted = self.gain_db(start) + change_db
        gains = np.array([self.gain_db(float(p)) for p in grid])
        return float(grid[np.abs(gains - wanted).argmin()])


def learn(takes: Sequence[DialTake]) -> Taper:
    """The taper from takes at two or more positions; several at one position are averaged by their errors.

    Raises ValueError with a sentence when fewer than two positions are there, or when the level does not rise with the position.
    """
    positions = sorted({take.position for take in takes})
    if len(positions) < 2:
        raise ValueError("One position says nothing about a dial. Turn it, make the same sound, and take it at a second position.")
    levels, errors = [], []
    for position in positions:
        here = [take for take in takes if take.position == position]
        weights = np.array([1.0 / max(take.error_db, 0.02) ** 2 for take in here])
        levels.append(float(weights @ np.array([take.level_dbfs for take in here]) / weights.sum()))
        errors.append(float(weights.sum() ** -0.5))
    for low, high, a, b in zip(levels, levels[1:], errors, errors[1:], strict=False):
        if high - low < -2.0 * float(np.hypot(a, b)) - 0.2:
            raise ValueError(
                "The level falls where the dial rises, so the sound was not the same at each position. Play one steady sound and take them again."
            )
    gains = [level - levels[0] for level in levels]
    # What fell by less than its error is level: a dial does not run backwards.
    gains = [float(g) for g in np.maximum.accumulate(gains)]
    return Taper(tuple(positions), tuple(gains), tuple(float(np.hypot(error, errors[0])) if i else 0.0 for i, error in enumerate(errors)))


def steady_level(frame_power: Samples, noise_power: float = 0.0) -> tuple[float, float]:
    """Level of a steady sound in dB re full scale squared and its standard error in dB, from the powers of 10 ms frames ``(frames,)``.

    Frames of the loudest two thirds count, so that the pause before the sound does not; ``noise_power`` of the room is taken off.
    """
    strong = frame_power[frame_power >= np.percentile(frame_power, 33.0)]
    groups = strong[: len(strong) // 10 * 10].reshape(-1, 10).mean(axis=1) if len(strong) >= 50 else strong
    mean = max(float(strong.mean()) - noise_power, 1e-30)
    error = float(np.std(groups) / np.sqrt(max(len(groups), 2)))
    return power_db(mean), power_db((mean + error) / mean)


def spoken(position: float, unit: str, step: float | None = None) -> str:
    """A position as a person reads it off: 5½, 62 %, 31 dB."""
    if unit == "%":
        return f"{round(position)} %"
    if unit == "dB":
        return f"{position:g} dB" if abs(position - round(position, 1)) < 1e-6 else f"{position:.1f} dB"
    step = step or 0.25
    rounded = round(position / step) * step
    whole, part = int(rounded // 1), round(rounded % 1.0, 2)
    marks = {0.0: "", 0.25: "¼", 0.5: "½", 0.75: "¾"}
    if part not in marks:
        return f"{rounded:.1f}"
    return f"{whole}{marks[part]}" if whole or not part else marks[part]
