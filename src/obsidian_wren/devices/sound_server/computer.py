"""The sound settings of this computer, as far as its sound server tells and sets them.

What is kept of it is only what the person changed from here, so that it can be undone.
"""

from __future__ import annotations

from contextlib import suppress
from typing import Any, cast

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import DeviceField, SoundDevice
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import NoSoundServer, SystemSound
from obsidian_wren.ports.world import SourceGone


class SystemComputer:
    """The port over the sound server. Raises SourceGone and NoSoundServer where a change cannot be
    made."""

    simulated = False

    def __init__(self, system: SystemSound) -> None:
        self._system = system

    def devices(self, state: dict[str, Any]) -> tuple[SoundDevice, ...]:
        """The devices as they were last seen."""
        return self._system.seen.devices

    def change(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """Set one thing of one device. Raises KeyError for a device that is not listed."""
        device = self._device(change.device_id)
        self._system.set_device(change.device_id, change.field, change.value)
        self._system.look()
        return _with(state, device, change)

    def noted(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """The state with how the thing stands that is about to change."""
        device = self._device(change.device_id)
        if change.field == "is_default":
            usual = next(
                (
                    each
                    for each in self.devices(state)
                    if each.direction == device.direction and each.is_default
                ),
                None,
            )
            if usual is None:
                return state
            return _with(state, usual, Change(usual.id, "is_default", True))
        stands = getattr(device, change.field)
        return _with(state, device, Change(device.id, change.field, stands))

    def follow(self, before: dict[str, Any], after: dict[str, Any]) -> None:
        """Set what differs between two states, as far as the devices are there."""
        stood = before.get("stands", {})
        for thing, value in after.get("stands", {}).items():
            if stood.get(thing) == value:
                continue
            with suppress(SourceGone, NoSoundServer):
                if thing in ("input", "output"):
                    self._system.set_device(str(value), "is_default", True)
                else:
                    device_id, _, field = thing.rpartition("|")
                    self._system.set_device(device_id, cast(DeviceField, field), value)
        self._system.look()

    def unplug(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """Nobody can pull a real plug from here."""
        raise NoSoundServer("by-hand", _("Unplug it by hand: this is a real computer."))

    def plug_in(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """Nobody can plug a real device in from here."""
        raise NoSoundServer("by-hand", _("Plug it in by hand: this is a real computer."))

    def _device(self, device_id: str) -> SoundDevice:
        for device in self._system.seen.devices:
            if device.id == device_id:
                return device
        raise KeyError(device_id)


def _with(state: dict[str, Any], device: SoundDevice, change: Change) -> dict[str, Any]:
    """The state with one thing more: the default of a direction by its device, anything else by
    device and field."""
    if change.field == "is_default":
        stands: dict[str, Any] = {device.direction: device.id}
    else:
        stands = {f"{device.id}|{change.field}": change.value}
    return {**state, "stands": {**state.get("stands", {}), **stands}}
