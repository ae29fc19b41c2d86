"""What a cause of the noise floor is, and what the floor would fall by without it.

Source: by definition: powers add.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.measure.weighting import a_weighting_power

Where = Literal["room", "microphone", "cable", "preamp", "converter", "computer"]

STEADY_SPREAD_DB = 3.0
WORTH_DB = 0.3


@dataclass(frozen=True)
class Cause:
    """One cause.

    ``lowers_db``: how far the A-weighted floor of its take would fall without it; None where that
    is not its harm.

    ``spoils``: the take cannot be trusted until it is fixed. ``complaint``: it deserves to be
    fixed; otherwise it is just said.
    """

    code: str
    where: Where
    take: Literal["rest", "in-use", "talk"]
    title: str
    evidence: str
    remedy: str
    lowers_db: float | None
    spoils: bool
    complaint: bool


def lowers(total_dbfs: float, cause_dbfs: float) -> float:
    """How far a level falls when a part of its power goes, dB; at most 40."""
    left = power_from_db(total_dbfs) - power_from_db(cause_dbfs)
    return (
        min(40.0, total_dbfs - power_db(left)) if left > power_from_db(total_dbfs - 40.0) else 40.0
    )


def a_weighted_sum(lines: Sequence[tuple[float, float]]) -> float:
    """A-weighted level of lines of (Hz, dBFS)."""
    frequency = np.array([line[0] for line in lines])
    power = np.array([power_from_db(line[1]) for line in lines])
    return power_db(float(power @ a_weighting_power(frequency)))


def sum_dbfs(levels: Sequence[float]) -> float:
    """Level of uncorrelated sounds together, dBFS; −inf counts as nothing."""
    return power_db(sum(power_from_db(level) for level in levels if np.isfinite(level)))


def level_without(total: float, between: float, at_rest: float) -> float:
    """The level in use when its steady part falls back to that at rest.

    All in dBFS, as ``total``, ``between`` events and ``at_rest``.
    """
    left = power_from_db(total) - power_from_db(between) + power_from_db(at_rest)
    return power_db(left)
