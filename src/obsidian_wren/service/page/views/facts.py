"""Lines of a slip, and what is wrong with the data folder."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class FactView(BaseModel):
    """A line of a slip: name, number with its unit, mark, and the sentence under it."""

    name: str
    value: str
    mark: Literal["good", "fault", "none"]
    sentence: str


class OrderWarningView(BaseModel):
    """A stage that stands where another defeats it."""

    kind: str
    other: str
    sentence: str


class FindingView(BaseModel):
    """Something in the data folder that is not as it should be, and what to do."""

    code: str
    sentence: str
    action: str
