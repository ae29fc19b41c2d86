"""The stages of a chain, their settings, and what they were derived from."""

from __future__ import annotations

from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base, JsonBody


class SettingRow(Base):
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


class StageRow(Base):
    """Whether a stage runs: in force, as derived, pinned by the person, because.

    ``data`` holds settings that are no numbers.
    """

    __tablename__ = "stage"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    runs: Mapped[bool]
    derived: Mapped[bool]
    pinned: Mapped[bool]
    because: Mapped[str]
    data: Mapped[JsonBody] = mapped_column("matter", JSON)


class Derivation(Base):
    """What a rule answered beyond settings, and what it used: the evidence of a step."""

    __tablename__ = "derivation"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    body: Mapped[JsonBody] = mapped_column(JSON)
    used: Mapped[JsonBody] = mapped_column(JSON)


class Confirmed(Base):
    """A step that a person confirmed, with what it stood on then."""

    __tablename__ = "confirmed"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    step: Mapped[str] = mapped_column(String(20), primary_key=True)
    basis: Mapped[JsonBody] = mapped_column(JSON)
    at: Mapped[str] = mapped_column(String(32))


class Situation(Base):
    """A named set of decisions over one calibration: ``decisions`` as
    ``service/carry/decisions.py`` reads them; ``follows``: the key of the listener whose feed has
    to be recorded for it to be used by itself. ``sha256``: the settings that the decisions gave
    when they were last in force, which hold while what they stand on, ``basis``, is the same;
    ``mixes``: the derivation of the mixes then."""

    __tablename__ = "situation"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    name: Mapped[str] = mapped_column(String(40))
    decisions: Mapped[JsonBody] = mapped_column(JSON)
    follows: Mapped[str | None] = mapped_column(String(40))
    sha256: Mapped[str | None] = mapped_column(ForeignKey("kept_calibration.sha256"))
    basis: Mapped[str | None] = mapped_column(String(64))
    mixes: Mapped[JsonBody | None] = mapped_column(JSON)
