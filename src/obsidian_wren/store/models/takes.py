"""Takes, what was read from them, and every change that can be undone."""

from __future__ import annotations

from sqlalchemy import JSON, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base, JsonBody


class ChangeRow(Base):
    """One change that a person made: what it is called, and each thing before and after, for
    undo and redo."""

    __tablename__ = "change"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[str] = mapped_column(String(32))
    title: Mapped[str] = mapped_column(String(160))
    undone: Mapped[bool]
    body: Mapped[JsonBody] = mapped_column(JSON)


class Take(Base):
    """A recording with a purpose.

    ``fault`` says why it cannot be used, under a code; ``facts`` are those of the rig that it was
    made at.

    ``channels`` is what its channels said of each other; ``ended`` why it stopped by itself;
    ``discarded`` takes are out of sight.
    """

    __tablename__ = "take"
    # However many takes there are, the newest of a purpose are found in a few steps.
    __table_args__ = (Index("ix_take_rig_id_purpose", "rig_id", "purpose"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    purpose: Mapped[str] = mapped_column(String(20))
    sha256: Mapped[str] = mapped_column(String(64))
    rate_hz: Mapped[int]
    frames: Mapped[int]
    source: Mapped[str] = mapped_column(String(20))
    facts: Mapped[JsonBody] = mapped_column(JSON)
    channels: Mapped[JsonBody | None] = mapped_column(JSON)
    half: Mapped[bool]
    notes: Mapped[list[str]] = mapped_column(JSON)
    fault: Mapped[str | None]
    fault_code: Mapped[str | None] = mapped_column(String(40))
    discarded: Mapped[bool]
    ended: Mapped[str | None]
    taken_at: Mapped[str] = mapped_column(String(32))

    @property
    def gain_db(self) -> float | None:
        """Preamp gain that it was made at, dB; None where unknown."""
        gain = self.facts.get("gain_db")
        return None if gain is None else float(gain)


class Reading(Base):
    """The numbers measured from a take, and the version of what measured them."""

    __tablename__ = "reading"

    take_id: Mapped[int] = mapped_column(
        ForeignKey("take.id", ondelete="CASCADE"), primary_key=True
    )
    body: Mapped[JsonBody] = mapped_column(JSON)
    version: Mapped[int] = mapped_column(server_default="1")
