"""The sound settings of a computer: devices under the names that systems give them, and everything
that can stand wrong.

The state is plain JSON that the services keep, as a real computer keeps its own.
"""

from __future__ import annotations

import copy
from typing import Any

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import SoundDevice

# What the boathouse's computer looks like before anyone cared: the webcam is the default, the
# interface runs at another rate with enhancements on, and its slider stands where some program left
# it.
_FIRST: dict[str, Any] = {
    "plugs": 7,
    "devices": [
        {
            "id": "in-3",
            "system_name": "Line 3 (USB Audio 2.0)",
            "direction": "input",
            "present": True,
            "enabled": True,
            "rate_hz": 44100,
            "bits": 16,
            "slider_percent": 100,
            "muted": False,
            "enhancements": False,
            "auto_gain": False,
            "channels": 2,
            "is_default": False,
            "is_default_for_calls": False,
            "serial": "TW2-0417",
            "port": "usb-2",
            "kind": "interface",
        },
        {
            "id": "in-1",
            "system_name": "Microphone (HD Camera)",
            "direction": "input",
            "present": True,
            "enabled": True,
            "rate_hz": 48000,
            "bits": 16,
            "slider_percent": 85,
            "muted": False,
            "enhancements": True,
            "auto_gain": True,
            "channels": 1,
            "is_default": True,
            "is_default_for_calls": True,
            "serial": None,
            "port": "usb-1",
            "kind": "webcam",
        },
        {
            "line": 2,
            "id": "in-5",
            "system_name": "Line 4 (USB Audio 2.0)",
            "direction": "input",
            "present": True,
            "enabled": True,
            "rate_hz": 48000,
            "bits": 24,
            "slider_percent": 100,
            "muted": False,
            "enhancements": False,
            "auto_gain": False,
            "channels": 2,
            "is_default": False,
            "is_default_for_calls": False,
            "serial": "TW2-0417",
            "port": "usb-2",
            "kind": "interface",
        },
        {
            "id": "out-1",
            "system_name": "Speakers (High Definition Audio)",
            "direction": "output",
            "present": True,
            "enabled": True,
            "rate_hz": 48000,
            "bits": 24,
            "slider_percent": 60,
            "muted": False,
            "enhancements": True,
            "auto_gain": False,
            "channels": 2,
            "is_default": True,
            "is_default_for_calls": True,
            "serial": None,
            "port": "board",
            "kind": "loudspeakers",
        },
        {
            "id": "out-3",
            "system_name": "Line 3 (USB Audio 2.0)",
            "direction": "output",
            "present": True,
            "enabled": True,
            "rate_hz": 48000,
            "bits": 24,
            "slider_percent": 100,
            "muted": False,
            "enhancements": False,
            "auto_gain": False,
            "channels": 2,
            "is_default": False,
            "is_default_for_calls": False,
            "serial": "TW2-0417",
            "port": "usb-2",
            "kind": "headphones",
        },
    ],
}


def first_settings() -> dict[str, Any]:
    """The settings of a computer that nobody set up."""
    return copy.deepcopy(_FIRST)


class StandInComputer:
    """The port over a state; every change gives a new state and leaves the old one as it was."""

    simulated = True

    def devices(self, state: dict[str, Any]) -> tuple[SoundDevice, ...]:
        """The devices as the system lists them; those that are unplugged are listed as not
        present."""
        return tuple(SoundDevice(**device) for device in state["devices"])

    def change(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """Set one thing of one device.

        A default is taken from the others. Raises KeyError for a device that is not listed.
        """
        new = copy.deepcopy(state)
        device = _find(new, change.device_id)
        if change.field == "is_default":
            for other in new["devices"]:
                if other["direction"] == device["direction"]:
                    other["is_default"] = other["is_default_for_calls"] = False
            device["is_default_for_calls"] = True
        kind = type(device[change.field])
        device[change.field] = kind(change.value)
        return new

    def noted(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """The state holds everything already."""
        return state

    def follow(self, before: dict[str, Any], after: dict[str, Any]) -> None:
        """The state is the computer."""

    def unplug(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """Pull a device: what shares its plug and serial goes with it, and the defaults fall to
        another."""
        new = copy.deepcopy(state)
        serial = _find(new, device_id)["serial"]
        for device in new["devices"]:
            if device["id"] == device_id or (serial is not None and device["serial"] == serial):
                device["present"] = False
                if device["is_default"]:
                    device["is_default"] = device["is_default_for_calls"] = False
                    left = [
                        d
                        for d in new["devices"]
                        if d["direction"] == device["direction"]
                        and d["present"]
                        and d is not device
                    ]
                    if left:
                        left[0]["is_default"] = left[0]["is_default_for_calls"] = True
        return new

    def plug_in(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """Plug a device in again, at another plug: it returns under another id and another name,
        its settings forgotten by the system."""
        new = copy.deepcopy(state)
        serial = _find(new, device_id)["serial"]
        for device in new["devices"]:
            if device["present"] or (
                device["id"] != device_id and (serial is None or device["serial"] != serial)
            ):
                continue
            new["plugs"] += 1
            device.update(
                present=True,
                port=f"usb-{new['plugs']}",
                id=f"{device['id'].split('-')[0]}-{new['plugs']}",
                system_name=_renamed(device["system_name"], new["plugs"]),
                slider_percent=80.0,
                enhancements=device["direction"] == "input",
            )
        return new


def _renamed(name: str, number: int) -> str:
    head, _, tail = name.partition(" (")
    words = head.split()
    return f"{words[0]} {number} ({tail}" if tail else f"{name} {number}"


def _find(state: dict[str, Any], device_id: str) -> dict[str, Any]:
    for device in state["devices"]:
        if device["id"] == device_id:
            found: dict[str, Any] = device
            return found
    raise KeyError(device_id)
