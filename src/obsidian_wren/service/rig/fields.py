"""What a person says of the things that a rig is made of."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from obsidian_wren.formats.outside import RowId
from obsidian_wren.service.words import RateHz, RequestModel, Source


class MicrophoneFields(RequestModel):
    """A microphone, as far as it carries calculation; unknown numbers are null."""

    name: str = Field(min_length=1, max_length=80)
    kind: Literal["condenser", "dynamic", "ribbon", "headset", "usb"]
    pattern: Literal["cardioid", "supercardioid", "omni", "figure of eight"]
    sensitivity_mv_pa: float | None = Field(default=None, gt=0, le=500)
    self_noise_dba: float | None = Field(default=None, ge=-10, le=60)
    max_spl_db: float | None = Field(default=None, ge=80, le=180)
    needs_phantom: bool | None = None


class InterfaceFields(RequestModel):
    """An interface: preamp, converter, and how its knob is marked."""

    name: str = Field(min_length=1, max_length=80)
    knob: Literal["dB", "dial"] = "dB"
    gain_low_db: float | None = Field(default=None, ge=-40, le=90)
    gain_high_db: float | None = Field(default=None, ge=-40, le=90)
    gain_step_db: float = Field(default=1.0, gt=0, le=12)
    dial_low: float = Field(default=0.0, ge=-100, le=100)
    dial_high: float = Field(default=10.0, ge=-100, le=100)
    dial_step: float = Field(default=0.25, gt=0, le=10)
    pad_db: float | None = Field(default=None, gt=0, le=40)
    max_input_dbu: float | None = Field(default=None, ge=-40, le=40)
    ein_dbu: float | None = Field(default=None, ge=-140, le=-60)
    has_phantom: bool | None = None
    direct_monitoring: bool | None = None
    rates_hz: list[RateHz] = Field(
        default=[44100, 48000, 88200, 96000], min_length=1, max_length=12
    )
    bits: list[Literal[8, 16, 24, 32]] = Field(default=[16, 24], min_length=1, max_length=4)


class RoomFields(RequestModel):
    """A room: size and surfaces where known."""

    name: str = Field(min_length=1, max_length=80)
    length_m: float | None = Field(default=None, ge=0.5, le=100)
    width_m: float | None = Field(default=None, ge=0.5, le=100)
    height_m: float | None = Field(default=None, ge=0.5, le=30)
    surfaces: Literal["bare", "furnished", "soft", "treated"] | None = None


class RigFields(RequestModel):
    """What a person says about the rig: which things it is made of, how they stand, where its
    sound comes from, its aim."""

    name: str = Field(min_length=1, max_length=80)
    microphone_id: RowId
    interface_id: RowId
    room_id: RowId
    distance_cm: float = Field(ge=2, le=300)
    angle_deg: float = Field(ge=0, le=180)
    height_cm: float = Field(default=0.0, ge=-100, le=100)
    pop_screen: bool = False
    foam: bool = False
    shock_mount: bool = False
    support: Literal["arm", "desk stand", "floor stand", "worn"] = "desk stand"
    rate_hz: int = Field(ge=8000, le=192000)
    bits: Literal[16, 24, 32] = 24
    source: Source
    channel: int | None = Field(default=None, ge=1, le=32)
    phantom_on: bool | None = None
    aim_low_dbfs: float = Field(default=-15.0, ge=-40, le=-4)
    aim_high_dbfs: float = Field(default=-10.0, ge=-39, le=-3.5)
