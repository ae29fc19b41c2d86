"""The base of every record that comes from outside, and the text that may stand in it."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field


def is_storable(text: str) -> bool:
    """Whether text can be written down: half of a surrogate pair is no character."""
    if text.isascii():
        return True
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


# As far as the database counts.
RowId = Annotated[int, Field(ge=0, lt=2**63)]
Name = Annotated[str, Field(max_length=200)]
Sentence = Annotated[str, Field(max_length=4000)]


class FromOutside(BaseModel):
    """JSON as Python reads it knows NaN and infinities; nothing here does."""

    model_config = ConfigDict(allow_inf_nan=False)
