"""What the calibration holds while the program runs."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from obsidian_wren.service.calibration.background import Background
from obsidian_wren.service.calibration.working import Working
from obsidian_wren.service.context import AppContext, Asked, Cache

# The takes of a usual calibration behind each of its stages.
_TAKE_SETS_BYTES = 250_000_000


@dataclass
class CalibrationState:
    """Takes brought through stages, who asked for everything to be derived and how far that is, and
    what is worked out behind an answer."""

    take_sets: Cache = field(default_factory=lambda: Cache(most_bytes=_TAKE_SETS_BYTES))
    # Takes are measured, and the last of several has everything derived.
    waits: bool = False
    asked_to_derive: Asked = field(default_factory=Asked)
    asked_to_fit: Asked = field(default_factory=Asked)
    background: Background = field(default_factory=Background)
    working: Working = field(default_factory=Working)
    one_at_a_time: threading.Lock = field(default_factory=threading.Lock)


def current(app: AppContext) -> CalibrationState:
    """The calibration as it runs."""
    return app.own(CalibrationState)
