"""Settings of a stage that are no numbers, as a calibration file holds them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from obsidian_wren.core.wording import _

# What each is in.
UNITS = {"bands": "bands", "profile": "dB/Hz", "lines": "dBFS"}


def profile_setting(rows: Sequence[Sequence[float]]) -> dict[str, Any]:
    """A noise profile as one setting: rows of Hz and dB re full scale squared per Hz."""
    return {
        "value": [list(row) for row in rows],
        "unit": UNITS["profile"],
        "derived": None,
        "pinned": False,
        "because": _("The room at rest, before this stage."),
    }


def lines_setting(rows: Sequence[Sequence[float]]) -> dict[str, Any]:
    """The lines of a hum as one setting: rows of a multiple of the mains, its level and that of the
    room in 30 Hz around it, dBFS."""
    return {
        "value": [list(row) for row in rows],
        "unit": UNITS["lines"],
        "derived": None,
        "pinned": False,
        "because": _("The hum of the room at rest."),
    }
