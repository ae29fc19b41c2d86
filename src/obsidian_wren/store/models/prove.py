"""Blind series: what was compared, in which secret order, and what was answered."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base


class Series(Base):
    """One blind series. ``order``: for each round whether the first sound was called “one”; it
    leaves the program only when the series has ended. ``take_sha256``: the sentence that was heard,
    ``from_s`` on. ``saved_ms``: how much less delay the chain has as the second of the pair."""

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
