"""The rig’s microphone, interface, room and placement as the rules take them."""

from __future__ import annotations

import dataclasses
from typing import Any, TypeVar

from obsidian_wren.core.derive import hardware
from obsidian_wren.store.models import Rig

Shape = TypeVar("Shape")


def microphone_of(rig: Rig) -> hardware.Microphone:
    """The rig's microphone as the rules take it."""
    return _adapted(hardware.Microphone, rig.microphone)


def interface_of(rig: Rig) -> hardware.Interface:
    """The rig's interface as the rules take it."""
    return _adapted(hardware.Interface, rig.interface)


def room_of(rig: Rig) -> hardware.Room:
    """The rig's room as the rules take it."""
    room = rig.room
    size = None
    if room.length_m is not None and room.width_m is not None and room.height_m is not None:
        size = (room.length_m, room.width_m, room.height_m)
    return hardware.Room(size, room.surfaces, room.noise_dba)  # type: ignore[arg-type]


def placement_of(rig: Rig) -> hardware.Placement:
    """The rig's placement as the rules take it."""
    return _adapted(hardware.Placement, rig)


def _adapted(shape: type[Shape], row: Any) -> Shape:
    names = [field.name for field in dataclasses.fields(shape)]  # type: ignore[arg-type]
    return shape(**{name: getattr(row, name) for name in names})


def has_absolute_gain(rig: Rig) -> bool:
    """Whether the preamp's position is a gain in dB and not a count of turns from an unknown
    start."""
    return rig.interface.knob == "dB" and (
        rig.source == "simulated" or rig.interface.gain_low_db is not None
    )
