"""The tables. Times are UTC ISO strings; JSON columns hold plain values only."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

JsonBody = dict[str, Any]


class Base(DeclarativeBase):
    """All tables."""


class Rig(Base):
    """One microphone, interface, room and placement, and where its sound comes from."""

    __tablename__ = "rig"

    id: Mapped[int] = mapped_column(primary_key=True)
    room_name: Mapped[str] = mapped_column(String(80))
    microphone_name: Mapped[str] = mapped_column(String(80))
    microphone_kind: Mapped[str] = mapped_column(String(20))
    pattern: Mapped[str] = mapped_column(String(20))
    interface_name: Mapped[str] = mapped_column(String(80))
    distance_cm: Mapped[float]
    angle_deg: Mapped[float]
    rate_hz: Mapped[int]
    sensitivity_mv_pa: Mapped[float | None]
    max_input_dbu: Mapped[float | None]
    source: Mapped[str] = mapped_column(String(20))
    spec_json: Mapped[str]
    gain_db: Mapped[float | None]


class Take(Base):
    """A recording with a purpose. ``fault`` says why it cannot be used; ``gain_db`` and the placement are those it was made at."""

    __tablename__ = "take"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    purpose: Mapped[str] = mapped_column(String(20), index=True)
    sha256: Mapped[str] = mapped_column(String(64))
    rate_hz: Mapped[int]
    frames: Mapped[int]
    source: Mapped[str] = mapped_column(String(20))
    gain_db: Mapped[float | None]
    distance_cm: Mapped[float]
    angle_deg: Mapped[float]
    half: Mapped[bool]
    notes: Mapped[list[str]] = mapped_column(JSON)
    fault: Mapped[str | None]
    taken_at: Mapped[str] = mapped_column(String(32))


class Reading(Base):
    """The numbers measured from a take."""

    __tablename__ = "reading"

    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)


class Setting(Base):
    """One parameter of one stage. ``value`` is a number, or a band for the equalizer."""

    __tablename__ = "setting"
    __table_args__ = (UniqueConstraint("rig_id", "stage", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    stage: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(40))
    value: Mapped[Any] = mapped_column(JSON)
    unit: Mapped[str] = mapped_column(String(10))
    derived: Mapped[Any] = mapped_column(JSON)
    pinned: Mapped[bool]
    because: Mapped[str]


class Derivation(Base):
    """What a rule answered beyond settings, and what it used: the evidence of a step."""

    __tablename__ = "derivation"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)
    used: Mapped[JsonBody] = mapped_column(JSON)


class Settled(Base):
    """A step that a person settled, with what it stood on then."""

    __tablename__ = "settled"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    basis: Mapped[JsonBody] = mapped_column(JSON)
    at: Mapped[str] = mapped_column(String(32))


class Destination(Base):
    """A listener and the input that it picked."""

    __tablename__ = "destination"

    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    picks: Mapped[str | None] = mapped_column(String(120))


class Proof(Base):
    """What a marker found at a destination."""

    __tablename__ = "proof"

    id: Mapped[int] = mapped_column(primary_key=True)
    destination: Mapped[str] = mapped_column(ForeignKey("destination.name"))
    picks: Mapped[str | None] = mapped_column(String(120))
    arrival: Mapped[str] = mapped_column(String(10))
    delay_ms: Mapped[float | None]
    level_db: Mapped[float | None]
    loudness_lufs: Mapped[float | None]
    at: Mapped[str] = mapped_column(String(32))


class Recording(Base):
    """A file that the recorder wrote."""

    __tablename__ = "recording"

    id: Mapped[int] = mapped_column(primary_key=True)
    file_name: Mapped[str] = mapped_column(String(120))
    rate_hz: Mapped[int]
    frames: Mapped[int]
    loudness_lufs: Mapped[float | None]
    true_peak_dbtp: Mapped[float | None]
    at: Mapped[str] = mapped_column(String(32))
