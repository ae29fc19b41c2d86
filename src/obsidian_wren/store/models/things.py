"""Microphones, interfaces, rooms, the computer, and rigs made of them."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from obsidian_wren.store.models.base import Base, JsonBody


class Response(Base):
    """A microphone's response as it was handed out: rows of Hz, dB and, where given, phase in
    degrees."""

    __tablename__ = "response"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    rows: Mapped[list[list[float]]] = mapped_column(JSON)


class MicrophoneRow(Base):
    """A microphone that is kept, to be used in any rig."""

    __tablename__ = "microphone"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[str] = mapped_column(String(20))
    pattern: Mapped[str] = mapped_column(String(20))
    sensitivity_mv_pa: Mapped[float | None]
    self_noise_dba: Mapped[float | None]
    max_spl_db: Mapped[float | None]
    needs_phantom: Mapped[bool | None]
    response_id: Mapped[int | None] = mapped_column(ForeignKey("response.id"))


class InterfaceRow(Base):
    """An interface that is kept. ``knob`` says whether its preamp is marked in dB or numbered."""

    __tablename__ = "interface"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    knob: Mapped[str] = mapped_column(String(10))
    gain_low_db: Mapped[float | None]
    gain_high_db: Mapped[float | None]
    gain_step_db: Mapped[float]
    dial_low: Mapped[float]
    dial_high: Mapped[float]
    dial_step: Mapped[float]
    pad_db: Mapped[float | None]
    max_input_dbu: Mapped[float | None]
    ein_dbu: Mapped[float | None]
    has_phantom: Mapped[bool | None]
    direct_monitoring: Mapped[bool | None]
    rates_hz: Mapped[list[int]] = mapped_column(JSON)
    bits: Mapped[list[int]] = mapped_column(JSON)


class RoomRow(Base):
    """A room that is kept. ``noise_dba`` is what the newest resting take told of it."""

    __tablename__ = "room"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    length_m: Mapped[float | None]
    width_m: Mapped[float | None]
    height_m: Mapped[float | None]
    surfaces: Mapped[str | None] = mapped_column(String(20))
    noise_dba: Mapped[float | None]


class Rig(Base):
    """One microphone, interface, room and placement, where its controls stand, and where its sound
    comes from.

    ``channel`` of its device counts from 1, None for the one that carries the voice. ``gain_db`` is
    the preamp in dB, ``dial`` its number where it is numbered; ``things_off`` names
    what is switched off in the simulated room. ``preferences`` holds what the person wants of the
    treated voice, where it differs from what is usual; ``stage_order`` the stages in the person's
    order, empty for the default.
    """

    __tablename__ = "rig"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    microphone_id: Mapped[int] = mapped_column(ForeignKey("microphone.id"))
    interface_id: Mapped[int] = mapped_column(ForeignKey("interface.id"))
    room_id: Mapped[int] = mapped_column(ForeignKey("room.id"))
    distance_cm: Mapped[float]
    angle_deg: Mapped[float]
    height_cm: Mapped[float]
    pop_screen: Mapped[bool]
    foam: Mapped[bool]
    shock_mount: Mapped[bool]
    support: Mapped[str] = mapped_column(String(20))
    rate_hz: Mapped[int]
    bits: Mapped[int]
    source: Mapped[str] = mapped_column(String(20))
    spec_json: Mapped[str]
    device_key: Mapped[str | None] = mapped_column(String(80))
    channel: Mapped[int | None]
    gain_db: Mapped[float | None]
    dial: Mapped[float | None]
    pad_on: Mapped[bool]
    trim_db: Mapped[float]
    program_db: Mapped[float]
    phantom_on: Mapped[bool | None]
    aim_low_dbfs: Mapped[float]
    aim_high_dbfs: Mapped[float]
    things_off: Mapped[list[str]] = mapped_column(JSON)
    preferences: Mapped[JsonBody] = mapped_column(JSON)
    stage_order: Mapped[list[str]] = mapped_column(JSON)

    microphone: Mapped[MicrophoneRow] = relationship(lazy="joined")
    interface: Mapped[InterfaceRow] = relationship(lazy="joined")
    room: Mapped[RoomRow] = relationship(lazy="joined")


class ActiveRig(Base):
    """Which rig is in hand. One row."""

    __tablename__ = "desk"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))


class TaperRow(Base):
    """What a control's positions are in dB, as learned: of an interface's dial, or of a device's
    slider."""

    __tablename__ = "taper"

    interface_id: Mapped[int] = mapped_column(ForeignKey("interface.id"), primary_key=True)
    control: Mapped[str] = mapped_column(String(20), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class ComputerRow(Base):
    """The sound settings of the stand-in computer. One row."""

    __tablename__ = "computer"

    id: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class KnownDevice(Base):
    """A sound device that was seen, under a key of ours that outlives its system name, with the
    person's name for it."""

    __tablename__ = "known_device"

    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    own_name: Mapped[str | None] = mapped_column(String(80))
    body: Mapped[JsonBody] = mapped_column(JSON)


class TargetRow(Base):
    """An imported target for the tone: rows of Hz and dB."""

    __tablename__ = "target"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    rows: Mapped[list[list[float]]] = mapped_column(JSON)
