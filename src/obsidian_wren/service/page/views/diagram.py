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
    # What older versions kept has neither; it is drawn again when the path is derived.
    floor_dbfs_a: float | None = None
    delay_ms: float | None = None
    note: str | None
    predicted: bool = False
