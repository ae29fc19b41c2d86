"""Blind series: what was compared, in which secret order, and what was answered. Versions of a
calibration, and a file that was brought in."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base, JsonBody


class Series(Base):
    """One blind series. ``order``: for each round whether the first sound was called “one”; it
    leaves the program only when the series has ended. ``take_sha256``: the sentence that was heard,
    ``from_s`` on. ``saved_ms``: how much less delay the chain has as the second of the pair.
    ``names``: title and what both are called, ``loudness_lufs``: how loud each is; neither in
    series that older programs kept."""

    __tablename__ = "series"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    kind: Mapped[str] = mapped_column(String(10))
    first: Mapped[str] = mapped_column(String(40))
    second: Mapped[str] = mapped_column(String(40))
    take_sha256: Mapped[str] = mapped_column(String(64))
    from_s: Mapped[float]
    saved_ms: Mapped[float]
    order: Mapped[list[bool]] = mapped_column("hidden_order", JSON)
    answers: Mapped[list[str]] = mapped_column(JSON)
    ended: Mapped[bool]
    discarded: Mapped[bool]
    at: Mapped[str] = mapped_column(String(32))
    names: Mapped[list[str]] = mapped_column(JSON)
    loudness_lufs: Mapped[list[float] | None] = mapped_column(JSON)


class KeptCalibration(Base):
    """A calibration as it once stood: the open file that it exports as, and the rows that bring it
    back. ``sha256`` is that of both."""

    __tablename__ = "kept_calibration"

    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    file: Mapped[JsonBody] = mapped_column(JSON)
    rows: Mapped[JsonBody] = mapped_column(JSON)


class OrdinaryDay(Base):
    """What a watch heard of a rig on an ordinary day, as numbers: how it differed from the
    calibration ``basis``, dB, and from how much talk."""

    __tablename__ = "ordinary_day"

    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), primary_key=True)
    day: Mapped[str] = mapped_column(String(10), primary_key=True)
    basis: Mapped[str] = mapped_column(String(64))
    numbers: Mapped[list[float]] = mapped_column(JSON)
    talk_s: Mapped[float]


class Version(Base):
    """A version of a rig's calibration, counted from 1: the person's name and note for it, and the
    step whose confirmation made it, empty where something else did. ``fingerprint``: its settings
    as one word."""

    __tablename__ = "version"

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(80))
    note: Mapped[str] = mapped_column(String(1000))
    step: Mapped[str] = mapped_column(String(20))
    sha256: Mapped[str] = mapped_column(ForeignKey("kept_calibration.sha256"))
    fingerprint: Mapped[str] = mapped_column(String(16))
    discarded: Mapped[bool]
    at: Mapped[str] = mapped_column(String(32))


class BroughtFile(Base):
    """A calibration file that was brought in and is looked at; nothing of it is in force. One
    row."""

    __tablename__ = "brought_file"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    file: Mapped[JsonBody] = mapped_column(JSON)
    at: Mapped[str] = mapped_column(String(32))
