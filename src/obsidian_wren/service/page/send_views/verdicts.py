"""What is said of a listener."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class VerdictView(BaseModel):
    """One finding about a listener, and what to change where."""

    code: str
    mark: Literal["good", "fault", "note"]
    sentence: str
    advice: str | None


class MixFactView(BaseModel):
    """What is said of a mix: its mark and the sentence."""

    name: str
    mark: Literal["good", "fault", "none"]
    sentence: str


class CheckView(BaseModel):
    """A line under a listener: its mark, the sentence, what to do, and the numbers of it."""

    code: str
    mark: Literal["good", "fault", "none"]
    sentence: str
    advice: str | None
    detail: str | None


class ProofCountView(BaseModel):
    """How many listeners that pick an input are proved, of how many."""

    good: int
    all: int
