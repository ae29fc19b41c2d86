"""What the calibration holds while the program runs."""

from __future__ import annotations

from dataclasses import dataclass, field

from obsidian_wren.service.calibration.behind import Behind
from obsidian_wren.service.calibration.working import Working
from obsidian_wren.service.workshop import Asked, Remembered, Workshop

# The takes of a usual calibration behind each of its stages, for some settings of each. They lie on
# disk, where they cost nobody memory.
_TAKE_SETS_BYTES = 400_000_000


@dataclass
class CalibrationState:
    """Takes brought through stages, who asked for everything to be derived and how far that is, and
    what is worked out behind an answer."""

    take_sets: Remembered
    asked_to_derive: Asked = field(default_factory=Asked)
    asked_to_fit: Asked = field(default_factory=Asked)
    behind: Behind = field(default_factory=Behind)
    working: Working = field(default_factory=Working)


def current(ws: Workshop) -> CalibrationState:
    """The calibration as it runs."""
    return ws.own(
        CalibrationState,
        lambda: CalibrationState(Remembered(most_bytes=_TAKE_SETS_BYTES, aside=ws.folder.parts)),
    )
