"""The trade's words for the parts of a voice."""

from __future__ import annotations

# By upper edge in Hz.
_REGIONS = (
    (90, "Bottom"),
    (250, "Boom"),
    (420, "Mud"),
    (800, "Box"),
    (1600, "Nose"),
    (5000, "Presence"),
    (9000, "Sibilance"),
    (1e9, "Air"),
)


def region(frequency_hz: float) -> str:
    """The trade's word for a part of the voice."""
    return next(name for edge, name in _REGIONS if frequency_hz < edge)
