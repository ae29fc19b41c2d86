"""Why an answer does not hold any more: one source that differs, and the sentence for it.

Source: by definition: what was kept with an answer against what is now.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from obsidian_wren.core.wording import worded

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
    "rest": worded("The room was taken again"),
    "in-use": worded("The room in use was taken again"),
    "muted": worded("The muted input was taken again"),
    "other-gain": worded("The room at another gain was taken again"),
    "talk": worded("Normal talk was taken again"),
    "loud": worded("The loudest was taken again"),
    "soft": worded("The softest was taken again"),
    "passage": worded("A newer passage was read"),
    "dial": worded("The dial was taken at another position"),
    "clap": worded("A clap was taken"),
    "sweep": worded("A sweep was taken"),
    "reference": worded("The reference was taken again"),
}
_FACTS = {
    "gain_db": (worded("at {then} dB gain"), "{now}"),
    "dial": (worded("with the dial at {then}"), "{now}"),
    "slider": (worded("with the slider at {then} %"), "{now} %"),
    "trim_db": (worded("with the device's output at {then} dB"), "{now} dB"),
    "program_db": (worded("with the program's trim at {then} dB"), "{now} dB"),
    "distance_cm": (worded("at {then} cm"), "{now}"),
    "angle_deg": (worded("{then}° off axis"), "{now}°"),
    "height_cm": (worded("{then} cm over the mouth"), "{now}"),
    "microphone": (worded("with {then}"), "{now}"),
    "pattern": (worded("as {then}"), "{now}"),
    "interface": (worded("through {then}"), "{now}"),
    "room": (worded("in {then}"), "{now}"),
    "source": (worded("from {then} sound"), "{now}"),
    "support": (worded("on the {then}"), "{now}"),
}
_SWITCHES = {
    "pad_on": worded("the pad"),
    "pop_screen": worded("the pop screen"),
    "foam": worded("the foam"),
    "shock_mount": worded("the shock mount"),
    "enhancements": worded("the enhancements"),
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
            worded("{takes} since.", takes=_TAKES[rest])
            if reason.now is not None
            else worded("A take that it is based on was discarded.")
        )
    if kind == "pin":
        return worded("You changed {titles} since.", titles=titles[rest])
    if kind == "rule":
        return worded("The rule for {titles} changed.", titles=titles[rest])
    if kind == "choice":
        words = {
            "aim": worded("The target for peaks changed."),
            "response": worded("Another response file is in use."),
            "microphone_data": worded("The microphone's data changed since."),
            "taste": worded("You bent the target since."),
            "target": worded("You chose another target since."),
            "shape_percent": worded("You changed how far the voice itself is shaped."),
            "treated": worded("The targets of the treated voice changed."),
            "cut_weight": worded("You changed how clipped words weigh."),
            "order": worded("The sequence of the stages changed."),
        }
        return words[rest]
    fact = reason.source.partition(".")[2]
    if fact in _SWITCHES:
        what = _SWITCHES[fact]
        return (
            worded("Measured with {what}, now without.", what=what)
            if reason.then
            else worded("Measured without {what}, now with.", what=what)
        )
    then, now = _FACTS[fact]
    return worded(
        "Measured {then}, now {now}.",
        then=then.format(then=_said(reason.then)),
        now=now.format(now=_said(reason.now)),
    )
