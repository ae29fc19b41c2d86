"""What the program holds in memory."""

from __future__ import annotations

from pydantic import BaseModel


class HeldView(BaseModel):
    """Something that is remembered, MB, and how much of it may be; None where it is counted in
    pieces."""

    what: str
    mb: float
    most_mb: float | None


class MemoryView(BaseModel):
    """The page's program, MB (None where the system does not tell), the worker (None where there is
    none), and what of it is remembered."""

    program_mb: float | None
    worker_mb: float | None
    held: list[HeldView]
