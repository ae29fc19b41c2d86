"""The level diagram."""

from __future__ import annotations

from pydantic import BaseModel


class DiagramPointView(BaseModel):
    """Levels at one point of the path."""

    name: str
    title: str
    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    room_dbfs: float | None
    note: str | None
    predicted: bool = False
