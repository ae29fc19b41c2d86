"""The order of the stages: what defeats what.

A person may order as they like; these say what they give up.

Source: practice: what each stage measures has to be whole when it arrives.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from obsidian_wren.core.wording import _


@dataclass(frozen=True)
class OrderWarning:
    """A stage that stands where it is defeated, by which other, why, and where it belongs."""

    kind: str
    other: str
    sentence: str


# (this stage, must not come after that one, because)
_NOT_AFTER: tuple[tuple[str, str, str], ...] = (
    (
        "hum",
        "noise_reduction",
        _("A changing gain before it makes the hum's harmonics flicker."),
    ),
    ("hum", "gate", _("A gate before it cuts the hum that it has to track.")),
    (
        "hum",
        "compressor",
        _("A compressor before it makes the hum swell, and it cannot be tracked."),
    ),
    (
        "clicks",
        "gate",
        _("A gate before it cuts the sound around a click, which identifies it."),
    ),
    (
        "clicks",
        "compressor",
        _("A compressor before it smears a click over what lies around it."),
    ),
    (
        "learned",
        "clicks",
        _("A repair before it leaves remains that it does not recognise as a key."),
    ),
    (
        "learned",
        "gate",
        _("A gate before it cuts the sound it needs to separate voice from noise."),
    ),
    (
        "learned",
        "compressor",
        _("A compressor before it lifts what moves between words, so less of it is removed."),
    ),
    (
        "noise_reduction",
        "gate",
        (
            _(
                "A gate before it changes the noise between words, and the noise profile fits"
                " neither half."
            )
        ),
    ),
    (
        "noise_reduction",
        "leveller",
        _("A changing gain before it moves the noise away from its profile."),
    ),
    (
        "noise_reduction",
        "compressor",
        _("A compressor before it lifts the noise in pauses, and the profile no longer fits."),
    ),
    (
        "noise_reduction",
        "limiter",
        _("A limiter before it moves the noise away from its profile."),
    ),
    (
        "noise_reduction",
        "colour",
        _("It mistakes echo and harmonics before it for noise, or they spread it."),
    ),
    (
        "ring_reduction",
        "gate",
        _("A gate before it cuts the reverb tail it measures."),
    ),
    (
        "ring_reduction",
        "compressor",
        _("A compressor before it makes the reverb decay slower than the room does."),
    ),
    (
        "gate",
        "compressor",
        (
            _(
                "A compressor before it lifts the noise floor towards the voice: the two"
                " distributions merge."
            )
        ),
    ),
    (
        "gate",
        "leveller",
        _("A leveller before it moves voice and room across the threshold."),
    ),
    ("gate", "colour", _("It cuts off an echo or a room before it.")),
    ("deplosive", "compressor", _("A plosive before it makes it reduce the whole voice.")),
    ("highpass", "gate", _("Rumble that was not removed before it opens the gate.")),
    (
        "highpass",
        "compressor",
        _("Rumble that was not removed before it makes it reduce the voice."),
    ),
    (
        "deesser",
        "compressor",
        (
            _(
                "A compressor before it lifts sibilants between loud vowels; the threshold is"
                " then too low for loud words."
            )
        ),
    ),
    (
        "leveller",
        "compressor",
        _("A compressor before it has already flattened what the leveller should even out."),
    ),
)


def warnings(order: Sequence[str]) -> tuple[OrderWarning, ...]:
    """What the stages that are on, in their order, defeat."""
    found = [
        OrderWarning(kind, other, because)
        for kind, other, because in _NOT_AFTER
        if kind in order and other in order and order.index(kind) > order.index(other)
    ]
    if "limiter" in order and order[-1] != "limiter":
        behind = order[order.index("limiter") + 1]
        found.append(
            OrderWarning(
                "limiter",
                behind,
                _("The limiter is not last: stages after it can pass the ceiling again."),
            )
        )
    return tuple(found)
