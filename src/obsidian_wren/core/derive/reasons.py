"""Why an answer does not hold any more: one source that differs, and the sentence for it.

Source: by definition: what was kept with an answer against what is now.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from obsidian_wren.core.wording import _

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
    "rest": _("The room was recorded again"),
    "in-use": _("The room in use was recorded again"),
    "muted": _("The muted input was recorded again"),
    "other-gain": _("The room at another gain was recorded again"),
    "talk": _("Normal talk was recorded again"),
    "loud": _("The loudest was recorded again"),
    "soft": _("The softest was recorded again"),
    "passage": _("A newer passage was read"),
    "dial": _("The dial was recorded at another position"),
    "clap": _("A clap was recorded"),
    "sweep": _("A sweep was recorded"),
    "reference": _("The reference was recorded again"),
    "phone": _("A take by a phone was added"),
}
_FACTS = {
    "gain_db": (_("at {then} dB gain"), "{now}"),
    "dial": (_("with the dial at {then}"), "{now}"),
    "slider": (_("with the slider at {then} %"), "{now} %"),
    "trim_db": (_("with the device's output at {then} dB"), "{now} dB"),
    "program_db": (_("with the program's trim at {then} dB"), "{now} dB"),
    "distance_cm": (_("at {then} cm"), "{now}"),
    "angle_deg": (_("{then}° off axis"), "{now}°"),
    "height_cm": (_("{then} cm over the mouth"), "{now}"),
    "microphone": (_("with {then}"), "{now}"),
    "pattern": (_("as {then}"), "{now}"),
    "interface": (_("through {then}"), "{now}"),
    "room": (_("in {then}"), "{now}"),
    "source": (_("from {then} sound"), "{now}"),
    "support": (_("on the {then}"), "{now}"),
}
_SWITCHES = {
    "pad_on": _("the pad"),
    "pop_screen": _("the pop screen"),
    "foam": _("the foam"),
    "shock_mount": _("the shock mount"),
    "enhancements": _("the enhancements"),
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
    kind, _colon, rest = reason.source.partition(":")
    if kind == "take":
        return (
            _("{takes} since.", takes=_TAKES[rest])
            if reason.now is not None
            else _("A take it is based on was discarded.")
        )
    if kind == "pin":
        return _("You changed {titles} since.", titles=titles[rest])
    if kind == "rule":
        return _("The rule for {titles} changed.", titles=titles[rest])
    if kind == "choice":
        words = {
            "aim": _("The target for peaks changed."),
            "response": _("Another response file is in use."),
            "microphone_data": _("The microphone's data changed since."),
            "taste": _("You bent the target since."),
            "target": _("You chose another target since."),
            "shape_percent": _("You changed how far the voice itself is shaped."),
            "treated": _("The targets of the treated voice changed."),
            "cut_weight": _("You changed the weight of clipped words."),
            "order": _("The sequence of the stages changed."),
        }
        return words[rest]
    fact = reason.source.partition(".")[2]
    if fact in _SWITCHES:
        what = _SWITCHES[fact]
        return (
            _("Measured with {what}, now without.", what=what)
            if reason.then
            else _("Measured without {what}, now with.", what=what)
        )
    then, now = _FACTS[fact]
    return _(
        "Measured {then}, now {now}.",
        then=then.format(then=_said(reason.then)),
        now=now.format(now=_said(reason.now)),
    )
