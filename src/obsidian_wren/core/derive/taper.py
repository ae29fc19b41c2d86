"""What the marks of a dial or a slider are in dB, once they were learned.

Kept apart from the learning, so that showing a control loads nothing that computes.

Source: linear interpolation between learned marks.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.numerals import UNKNOWN
from obsidian_wren.core.wording import _

_WHOLE = 1e-6


@dataclass(frozen=True)
class Taper:
    """Gain in dB at rising positions, relative to the first, with the error of each difference
    to it in dB."""

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
        """Gain in dB at a position: monotone cubic between learned ones (Fritsch & Carlson 1980),
        straight on beyond the ends."""
        return float(self.gains_at(np.array([position]))[0])

    def gains_at(self, positions: Samples) -> Samples:
        """The same at many positions ``(n,)``, dB."""
        # Lazy: interpolation takes longer to load than the first page to show.
        from scipy.interpolate import PchipInterpolator

        x, y = np.array(self.positions), np.array(self.gains_db)
        inside = np.clip(positions, x[0], x[-1])
        between = np.interp(inside, x, y) if len(x) < 3 else PchipInterpolator(x, y)(inside)
        below = np.minimum(positions - x[0], 0.0) * (y[1] - y[0]) / (x[1] - x[0])
        above = np.maximum(positions - x[-1], 0.0) * (y[-1] - y[-2]) / (x[-1] - x[-2])
        return np.asarray(between + below + above)

    def covers(self, position: float) -> bool:
        """Whether a position lies between learned ones."""
        return self.positions[0] <= position <= self.positions[-1]

    def position_for(self, start: float, change_db: float, *, low: float, high: float) -> float:
        """Where to turn from ``start`` for ``change_db``, within ``low`` and ``high``.

        All in marks of the dial; ``change_db`` in dB.
        """
        grid = np.linspace(low, high, 2001)
        wanted = self.gain_db(start) + change_db
        return float(grid[np.abs(self.gains_at(grid) - wanted).argmin()])


def spoken(position: float | None, unit: str, step: float | None = None) -> str:
    """A position as a person reads it off: 5½, 62 %, 31 dB, in; “unknown” where nobody knows.

    ``position`` and ``step`` in ``unit``.
    """
    if position is None:
        return UNKNOWN
    if unit == "switch":
        return _("in") if position else _("out")
    if unit == "%":
        return f"{round(position)} %"
    if unit == "dB":
        whole = abs(position - round(position, 1)) < _WHOLE
        return f"{position:g} dB" if whole else f"{position:.1f} dB"
    step = step or 0.25
    rounded = round(position / step) * step
    whole_part, part = int(rounded // 1), round(rounded % 1.0, 2)
    marks = {0.0: "", 0.25: "¼", 0.5: "½", 0.75: "¾"}
    if part not in marks:
        return f"{rounded:.1f}"
    return f"{whole_part}{marks[part]}" if whole_part or not part else marks[part]
