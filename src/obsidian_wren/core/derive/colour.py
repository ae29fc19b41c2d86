"""Colour: for fun or character, so it is never derived to be on; its settings are careful
starts.

Source: practice: taste, so off.
"""

from __future__ import annotations

from obsidian_wren.core.chain.colour import ColourSpec
from obsidian_wren.core.derive.colour_added import what_colour_adds
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.levels import peak_dbfs
from obsidian_wren.core.wording import _

# A tone lower than this would tell nothing.
_LEAST_PEAK_DBFS = -60.0
_STARTS: dict[str, tuple[float, str]] = {
    "drive_db": (6.0, _("Peaks just reach the knee.")),
    "harmonics": (0.0, _("None until you want them; 20 % sounds warm.")),
    "echo_ms": (120.0, _("Short enough to fuse with the word.")),
    "echo": (0.0, _("None until you want it.")),
    "room_s": (0.4, _("A small room.")),
    "room": (0.0, _("None until you want it.")),
    "plate": (0.0, _("None until you want it.")),
    "ring_hz": (60.0, _("A rough, robotic voice.")),
    "ring": (0.0, _("None until you want it.")),
}


def derive_colour(take_set: TakeSet, pins: Pins) -> StagePlan:
    """Off, with every effect at a careful start, and what that adds where it is switched on."""
    answer = StagePlanBuilder("colour", pins)
    for name, (value, because) in _STARTS.items():
        answer.set(name, value, because)
    values = {name: setting.value for name, setting in answer.settings.items()}
    return answer.plan(
        False,
        _("Off until you want it: character is a matter of taste, and no measurement asks for it."),
        evidence=what_colour_adds(
            ColourSpec.from_settings(values, on=True),
            peak_dbfs=max(_LEAST_PEAK_DBFS, peak_dbfs(take_set.talk)),
            rate_hz=take_set.rate_hz,
        ),
    )
