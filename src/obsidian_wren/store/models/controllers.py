"""What a person bound to the knobs and pads of a controller."""

from __future__ import annotations

from sqlalchemy import JSON, String
from sqlalchemy.orm import Mapped, mapped_column

from obsidian_wren.store.models.base import Base, JsonBody


class ControlBinding(Base):
    """One knob or pad of a controller, by the message that it sends (``note`` or ``control``, its
    channel from 1 to 16, its number), and what it does."""

    __tablename__ = "control_binding"

    id: Mapped[int] = mapped_column(primary_key=True)
    device: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(10))
    channel: Mapped[int]
    number: Mapped[int]
    action: Mapped[JsonBody] = mapped_column(JSON)
