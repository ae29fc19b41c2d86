"""The names that the whole program shares: steps, purposes, sources, and the base of what comes
from outside."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from obsidian_wren.core.wording import worded

# As far as the database counts.
RowId = Annotated[int, Field(ge=0, lt=2**63)]
RateHz = Annotated[int, Field(ge=8_000, le=192_000)]


class Said(BaseModel):
    """The base of everything that comes from outside.

    JSON as Python reads it knows NaN and infinities; nothing here does.
    """

    model_config = ConfigDict(allow_inf_nan=False)


StepName = Literal["rig", "quiet", "gain", "clean", "tone", "steady", "send", "prove"]
STEP_TITLES: dict[StepName, str] = {
    "rig": worded("Rig"),
    "quiet": worded("Quiet"),
    "gain": worded("Gain"),
    "clean": worded("Clean"),
    "tone": worded("Tone"),
    "steady": worded("Steady"),
    "send": worded("Send"),
    "prove": worded("Prove"),
}
Status = Literal["confirmed", "open", "stale", "not yet"]
# What a take can be begun for; the second channel of two microphones comes with the first.
Begun = Literal[
    "rest",
    "in-use",
    "muted",
    "other-gain",
    "talk",
    "loud",
    "soft",
    "passage",
    "dial",
    "clap",
    "sweep",
    "reference",
    "check",
    "both",
    "sentence",
]
Purpose = Literal[Begun, "beside"]
ControlKind = Literal["note", "control"]
ControlDoes = Literal["setting", "stage", "clip", "mute", "talk", "live", "record"]
Source = Literal["simulated", "file", "browser", "system"]
Control = Literal["preamp", "pad", "trim", "slider", "program"]
KeptKind = Literal["microphone", "interface", "room"]
TrackName = Literal["treated", "raw", "returns", "mix"]
PURPOSES: tuple[Purpose, ...] = get_args(Purpose)
