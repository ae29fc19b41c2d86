"""What physics says about a change until the take is made again.

Source: by definition: a gain before the converter moves voice and room alike.
"""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar

import numpy as np

from obsidian_wren.core.decibels import power_from_db
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.voice_spectrum import FineSpectrum

Reading = TypeVar("Reading", bound=Any)
# By how a field's name ends. What tells two levels from each other, and where the converter clips,
# stays as it is.
_LEVELS = ("_dbfs", "_dbtp", "_lufs")
_STAYS = ("flat_tops", "soft_clipping")


def quiet_at_gain(quiet: QuietReading, change_db: float) -> QuietReading:
    """A quiet reading as it would be after ``change_db`` more preamp gain.

    A preamp lifts all that comes before the converter by the same amount. This holds while the room
    or the preamp, not the converter, makes the floor; it is a prediction until the room is taken
    again.
    """
    return quiet if change_db == 0.0 else _moved(quiet, change_db)


def talk_at_gain(talk: TalkReading, change_db: float) -> TalkReading:
    """A talk reading as it would be after ``change_db`` more gain; a prediction, blind to what
    would clip."""
    return talk if change_db == 0.0 else _moved(talk, change_db)


def _moved(record: Reading, change_db: float, *, is_level: bool = False) -> Reading:
    """A record with every level in it moved, however deep; a record under the name of a level
    holds levels."""
    changes = {}
    for field in fields(record):
        held = getattr(record, field.name)
        if field.name not in _STAYS:
            level = is_level or field.name.endswith(_LEVELS) or field.name == "stretches_db"
            changes[field.name] = _value_moved(held, change_db, is_level=level)
    return replace(record, **changes)


def _value_moved(held: Any, change_db: float, *, is_level: bool) -> Any:
    if isinstance(held, FineSpectrum):
        return FineSpectrum(held.cells * power_from_db(change_db), held.top_hz)
    if isinstance(held, tuple) and hasattr(held, "_fields"):
        return type(held)(*(_value_moved(one, change_db, is_level=is_level) for one in held))
    if isinstance(held, tuple):
        return tuple(_value_moved(one, change_db, is_level=is_level) for one in held)
    if is_dataclass(held) and not isinstance(held, type):
        return _moved(held, change_db, is_level=is_level)
    if is_level and isinstance(held, (float, np.ndarray)):
        return held + change_db
    return held
