"""The trade's words for the parts of a voice.

Source: practice: engineers' words for the parts of a voice.
"""

from __future__ import annotations

from collections.abc import Sequence

from obsidian_wren.core.wording import worded

# By upper edge in Hz.
_REGIONS = (
    (60, worded("Rumble")),
    (120, worded("Low end")),
    (250, worded("Warmth")),
    (420, worded("Mud")),
    (800, worded("Boxiness")),
    (1600, worded("Nasal")),
    (5000, worded("Presence")),
    (9000, worded("Sibilance")),
    (1e9, worded("Air")),
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
