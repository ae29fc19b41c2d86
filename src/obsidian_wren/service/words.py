"""The names that the whole program shares: steps, purposes, sources, and the base of what comes
from outside."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

from obsidian_wren.core.wording import _
from obsidian_wren.formats import outside
from obsidian_wren.formats.outside import FromOutside, is_storable

RowId = outside.RowId
RateHz = Annotated[int, Field(ge=8_000, le=192_000)]


# The type of the error where text cannot be kept; its message is the whole sentence.
UNSTORABLE = "unstorable"
_UNSTORABLE = _("The text holds a broken character that cannot be saved. Type it again.")


class RequestModel(FromOutside):
    """The base of everything that is asked for: a field that there is not is refused, since it
    would be passed over in silence, and so is text that cannot be kept."""

    model_config = ConfigDict(extra="forbid")

    @model_validator(mode="before")
    @classmethod
    def _can_be_kept(cls, asked: Any) -> Any:
        pieces = [asked]
        while pieces:
            piece = pieces.pop()
            if isinstance(piece, str) and not is_storable(piece):
                raise PydanticCustomError(UNSTORABLE, "{said}", {"said": _UNSTORABLE})
            if isinstance(piece, dict):
                pieces += [*piece, *piece.values()]
            elif isinstance(piece, list):
                pieces += piece
        return asked


StepName = Literal["rig", "quiet", "gain", "clean", "tone", "steady", "send", "prove"]
STEP_TITLES: dict[StepName, str] = {
    "rig": _("Rig"),
    "quiet": _("Quiet"),
    "gain": _("Gain"),
    "clean": _("Clean"),
    "tone": _("Tone"),
    "steady": _("Steady"),
    "send": _("Send"),
    "prove": _("Prove"),
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
    "phone",
    "check",
    "both",
    "sentence",
]
Purpose = Literal[Begun, "beside"]
ControlKind = Literal["note", "control"]
ControlDoes = Literal["setting", "stage", "clip", "mute", "talk", "live", "record", "situation"]
Source = Literal["simulated", "file", "browser", "system"]
Control = Literal["preamp", "pad", "trim", "slider", "program"]
KeptKind = Literal["microphone", "interface", "room"]
TrackName = Literal["treated", "raw", "returns", "mix"]
PURPOSES: tuple[Purpose, ...] = get_args(Purpose)
