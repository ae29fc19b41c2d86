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
        _("A gain that moves before it makes the lines of the hum flicker."),
    ),
    ("hum", "gate", _("A gate before it cuts the hum that it has to follow.")),
    (
        "hum",
        "compressor",
        _("A compressor before it makes the hum swell, and it cannot be followed."),
    ),
    (
        "clicks",
        "gate",
        _("A gate before it cuts what lies beside a click, and that is what tells it."),
    ),
    (
        "clicks",
        "compressor",
        _("A compressor before it stretches a click over what lies beside it."),
    ),
    (
        "learned",
        "clicks",
        _("What is repaired before it leaves remains that it does not know for a key."),
    ),
    (
        "learned",
        "gate",
        _("A gate before it cuts what it tells voice and noise by."),
    ),
    (
        "learned",
        "compressor",
        _("A compressor before it lifts what moves between words, and it is taken less far."),
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
        _("A gain that rides before it moves the noise away from its profile."),
    ),
    (
        "noise_reduction",
        "compressor",
        _("A compressor before it lifts the noise in pauses, and the profile fits no more."),
    ),
    (
        "noise_reduction",
        "limiter",
        _("A limiter before it moves the noise away from its profile."),
    ),
    (
        "noise_reduction",
        "colour",
        _("Echo and harmonics before it are taken for noise or spread it."),
    ),
    (
        "ring_reduction",
        "gate",
        _("A gate before it cuts the reverb tail that it is measured from."),
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
                "A compressor before it lifts the floor towards the voice: the two distributions"
                " grow together."
            )
        ),
    ),
    (
        "gate",
        "leveller",
        _("A leveller before it moves the voice and the room against the threshold."),
    ),
    ("gate", "colour", _("An echo or a room before it is cut off by it.")),
    ("deplosive", "compressor", _("A plosive before it makes it turn the whole voice down.")),
    ("highpass", "gate", _("Rumble opens the gate when it is not removed before.")),
    (
        "highpass",
        "compressor",
        _("Rumble turns the voice down when it is not removed before."),
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
        _("A compressor before it has flattened what the leveller should ride."),
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
                _("The limiter is not last: what comes after it can pass the ceiling again."),
            )
        )
    return tuple(found)
