"""The computer’s sound settings as the page shows them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.core.derive.sound_device import DeviceField


class DeviceView(BaseModel):
    """A sound device of the computer."""

    id: str
    key: str
    system_name: str
    own_name: str | None
    direction: Literal["input", "output"]
    kind: str
    present: bool
    enabled: bool
    rate_hz: int
    bits: int
    slider_percent: float
    muted: bool
    enhancements: bool
    auto_gain: bool
    is_default: bool
    of_rig: bool
    known_as: str | None
    channels: int
    processing: str | None
    settable: list[DeviceField] | None


class DeviceChangeView(BaseModel):
    """One change in the sound settings that would help."""

    device_id: str
    field: DeviceField
    value: float | bool


class AuditView(BaseModel):
    """One thing in the sound settings that disagrees."""

    code: str
    harm: int
    title: str
    sentence: str
    action: str
    change: DeviceChangeView | None


class ComputerView(BaseModel):
    """The computer's sound settings and what is wrong with them.

    ``simulated``: it is a stand-in; ``server`` is the sound server of a real one, ``missing`` why
    nothing of it is known.
    """

    simulated: bool
    server: str | None
    missing: str | None
    devices: list[DeviceView]
    findings: list[AuditView]
