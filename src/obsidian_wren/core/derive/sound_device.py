"""A sound device as the computer lists it.

Source: practice: a device is known again by its serial number, else by its plug.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from obsidian_wren.core.wording import _

Direction = Literal["input", "output"]
# What a person can change of a device in the sound settings.
DeviceField = Literal[
    "is_default",
    "enabled",
    "muted",
    "rate_hz",
    "bits",
    "slider_percent",
    "enhancements",
    "auto_gain",
]


@dataclass(frozen=True)
class SoundDevice:
    """A device as the computer lists it.

    ``slider_percent`` runs over an unknown taper; ``own_name`` is the person's.

    ``processing`` names what of the system works on its sound before programs hear it;
    ``settable`` what a program may set of it, None for everything.

    ``serial`` stays with the device wherever it is plugged in, where it has one; ``port`` is the
    plug it sits in; ``line`` counts the inputs or outputs of one device.
    """

    id: str
    system_name: str
    direction: Direction
    present: bool
    enabled: bool
    rate_hz: int
    bits: int
    slider_percent: float
    muted: bool
    enhancements: bool
    auto_gain: bool
    channels: int
    is_default: bool
    is_default_for_calls: bool
    serial: str | None = None
    port: str | None = None
    kind: Literal["interface", "webcam", "built-in", "headphones", "loudspeakers", "feed"] = (
        "interface"
    )
    line: int = 1
    own_name: str | None = None
    processing: str | None = None
    settable: frozenset[DeviceField] | None = None

    @property
    def title(self) -> str:
        """The person's name where there is one, else the system's."""
        return self.own_name or self.system_name


def device_key(device: SoundDevice) -> str:
    """What a device is recognised by when it leaves and returns: its serial number, or the plug
    it sits in where it has none."""
    place = (
        device.serial
        if device.serial is not None
        else _("{kind} at {port}", kind=device.kind, port=device.port)
    )
    return f"{place}, {device.direction} {device.line}"
