"""Why an answer does not hold any more: one source that differs, and the sentence for it.

Source: by definition: what was kept with an answer against what is now.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

Value = float | int | str | bool | None


@dataclass(frozen=True)
class Reason:
    """One source that differs: its key, what it was, what it is."""

    source: str
    then: Value
    now: Value

    def sentence(self, titles: Mapping[str, str]) -> str:
        """Why, in words; ``titles`` says what stages and answers are called."""
        return _sentence(self, titles)


_TAKES = {
    "rest": "The room was taken again",
    "in-use": "The room in use was taken again",
    "muted": "The muted input was taken again",
    "other-gain": "The room at another gain was taken again",
    "talk": "Normal talk was taken again",
    "loud": "The loudest was taken again",
    "soft": "The softest was taken again",
    "passage": "A newer passage was read",
    "dial": "The dial was taken at another position",
    "clap": "A clap was taken",
    "sweep": "A sweep was taken",
    "reference": "The reference was taken again",
}
_FACTS = {
    "gain_db": ("at {then} dB gain", "{now}"),
    "dial": ("with the dial at {then}", "{now}"),
    "slider": ("with the slider at {then} %", "{now} %"),
    "trim_db": ("with the device's output at {then} dB", "{now} dB"),
    "program_db": ("with the program's trim at {then} dB", "{now} dB"),
    "distance_cm": ("at {then} cm", "{now}"),
    "angle_deg": ("{then}° off axis", "{now}°"),
    "height_cm": ("{then} cm over the mouth", "{now}"),
    "microphone": ("with {then}", "{now}"),
    "pattern": ("as {then}", "{now}"),
    "interface": ("through {then}", "{now}"),
    "room": ("in {then}", "{now}"),
    "source": ("from {then} sound", "{now}"),
    "support": ("on the {then}", "{now}"),
}
_SWITCHES = {
    "pad_on": "the pad",
    "pop_screen": "the pop screen",
    "foam": "the foam",
    "shock_mount": "the shock mount",
    "enhancements": "the enhancements",
}


def _said(value: Value) -> str:
    if value is None:
        return "unknown"
    return (
        f"{value:g}"
        if isinstance(value, (int, float)) and not isinstance(value, bool)
        else str(value)
    )


def _sentence(reason: Reason, titles: Mapping[str, str]) -> str:
    kind, _, rest = reason.source.partition(":")
    if kind == "take":
        return (
            f"{_TAKES[rest]} since."
            if reason.now is not None
            else "A take that it is based on was discarded."
        )
    if kind == "pin":
        return f"You changed {titles[rest]} since."
    if kind == "rule":
        return f"The rule for {titles[rest]} changed."
    if kind == "choice":
        words = {
            "aim": "The target for peaks changed.",
            "response": "Another response file is in use.",
            "microphone_data": "The microphone's data changed since.",
            "taste": "You bent the target since.",
            "target": "You chose another target since.",
            "shape_percent": "You changed how far the voice itself is shaped.",
            "treated": "The targets of the treated voice changed.",
            "cut_weight": "You changed how clipped words weigh.",
            "order": "The sequence of the stages changed.",
        }
        return words[rest]
    fact = reason.source.partition(".")[2]
    if fact in _SWITCHES:
        return (
            f"Measured {'with' if reason.then else 'without'} {_SWITCHES[fact]}, now"
            f" {'with' if reason.now else 'without'}."
        )
    then, now = _FACTS[fact]
    return (
        f"Measured {then.format(then=_said(reason.then))}, now {now.format(now=_said(reason.now))}."
    )
