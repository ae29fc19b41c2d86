"""The trade's words for the parts of a voice.

Source: practice: engineers' words for the parts of a voice.
"""

from __future__ import annotations

from collections.abc import Sequence

from obsidian_wren.core.wording import _

# By upper edge in Hz.
_REGIONS = (
    (60, _("Rumble")),
    (120, _("Low end")),
    (250, _("Warmth")),
    (420, _("Mud")),
    (800, _("Boxiness")),
    (1600, _("Nasal")),
    (5000, _("Presence")),
    (9000, _("Sibilance")),
    (1e9, _("Air")),
)
_WHICH = {2: ("lower", "upper"), 3: ("lower", "middle", "upper")}


def region(frequency_hz: float) -> str:
    """The trade's word for a part of the voice."""
    return next(name for edge, name in _REGIONS if frequency_hz < edge)


def heard_at_hz(shape: str, frequency_hz: float) -> float:
    """Where a band is heard most, Hz: a shelf acts beyond its corner."""
    octaves = {"low_shelf": -1.0, "high_shelf": 1.0}.get(shape, 0.0)
    return float(frequency_hz * 2.0**octaves)


def region_names(frequencies_hz: Sequence[float]) -> tuple[str, ...]:
    """A name for each of several bands, no name twice: those that share a part of the voice say
    which of it they are."""
    regions = [region(hz) for hz in frequencies_hz]
    order = sorted(range(len(regions)), key=lambda band: frequencies_hz[band])
    names = list(regions)
    for name in set(regions):
        within = [band for band in order if regions[band] == name]
        for place, band in enumerate(within):
            if len(within) in _WHICH:
                names[band] = f"{name}, {_WHICH[len(within)][place]}"
            elif len(within) > 1:
                names[band] = f"{name} {place + 1}"
    return tuple(names)
