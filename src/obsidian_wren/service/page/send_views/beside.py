"""What goes with the voice, and the return."""

from __future__ import annotations

from pydantic import BaseModel

from obsidian_wren.core.mix.routes import SourceKind


class SourceView(BaseModel):
    """Something that can be heard; loudness as it was measured; ``because`` says what its own
    chain does, where it has one of its own."""

    key: str
    name: str
    kind: SourceKind
    on: bool
    lufs: float | None
    because: list[str]


class CaseView(BaseModel):
    """A common case that one choice sets up."""

    key: str
    title: str
    chosen: bool


class ReturnReadingView(BaseModel):
    """A return as it was measured."""

    lufs: float | None
    true_peak_dbtp: float | None
    hum_dbfs: float | None
    harsh_db: float | None


class ReturnView(BaseModel):
    """The return from a listener, before and after it is treated."""

    of: str
    name: str
    before: ReturnReadingView | None
    after: ReturnReadingView | None
    because: list[str]


class ClipView(BaseModel):
    """A clip on a key.

    ``waveform`` is of the whole of it: the highest sample of each stretch, as a share of its
    highest of all.
    """

    id: int
    name: str
    seconds: float
    start_s: float
    end_s: float
    lufs: float | None
    key: str | None
    waveform: list[float]
    fault: str | None


class DuckingView(BaseModel):
    """How what plays under the voice drops."""

    threshold_dbfs: float
    attack_ms: float
    hold_ms: float
    release_ms: float
    because: str
