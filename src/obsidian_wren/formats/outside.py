"""The base of every record that comes from outside, and the text that may stand in it."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from obsidian_wren.core.wording import worded


def is_storable(text: str) -> bool:
    """Whether text can be written down: half of a surrogate pair is no character."""
    if text.isascii():
        return True
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _storable(value: Any) -> Any:
    if isinstance(value, str) and not is_storable(value):
        raise ValueError(worded("it holds half of a character"))
    return value


# Asked before anything else looks at it.
Text = Annotated[str, BeforeValidator(_storable)]
# As far as the database counts.
RowId = Annotated[int, Field(ge=0, lt=2**63)]
Name = Annotated[Text, Field(max_length=200)]
Sentence = Annotated[Text, Field(max_length=4000)]


class FromOutside(BaseModel):
    """JSON as Python reads it knows NaN and infinities; nothing here does."""

    model_config = ConfigDict(allow_inf_nan=False)
