"""What a person or a page says, before it is believed: every number is finite and every row can be."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

# As far as the database counts.
RowId = Annotated[int, Field(ge=0, lt=2**63)]
RateHz = Annotated[int, Field(ge=8_000, le=192_000)]


class Said(BaseModel):
    """The base of everything that comes from outside. JSON as Python reads it knows NaN and infinities; nothing here does."""

    model_config = ConfigDict(allow_inf_nan=False)
