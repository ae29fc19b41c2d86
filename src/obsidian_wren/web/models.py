"""What several handlers are sent or answer with."""

from __future__ import annotations

from pydantic import BaseModel, Field

from obsidian_wren.service.words import RequestModel, RowId


class Rename(RequestModel):
    """Another name."""

    name: str = Field(max_length=120)


class Problem(BaseModel):
    """A refusal: a stable code and the sentence for the person."""

    code: str
    sentence: str


class Acknowledgement(BaseModel):
    """It was done. ``enough``: the take that a piece belongs to needs no more."""

    ok: bool = True
    enough: bool = False


class ById(RequestModel):
    """One row."""

    id: RowId


class LeftOut(RequestModel):
    """``off`` names stages to leave out for once, and bands as ``stage/number`` from the lowest,
    parted by commas."""

    off: str = Field(default="", max_length=200)

    @property
    def left_out(self) -> tuple[str, ...]:
        """The stages and bands to leave out."""
        return tuple(part for part in self.off.split(",") if part)
