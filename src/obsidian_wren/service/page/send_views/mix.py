"""A listener’s mix."""

from __future__ import annotations

from pydantic import BaseModel

from obsidian_wren.core.mix.routes import SourceKind, Tap
from obsidian_wren.service.page.send_views.verdicts import MixFactView


class SentView(BaseModel):
    """A source in a mix: the loudness at which it arrives, its gain, how far it drops under the
    voice, and why."""

    source: str
    name: str
    kind: SourceKind
    tap: Tap
    lufs: float | None
    gain_db: float
    duck_db: float
    under_lu: float | None
    pinned: bool
    because: str


class KeptOutView(BaseModel):
    """A source that a listener does not get, and why; ``could`` says whether it may."""

    source: str
    name: str
    why: str
    could: bool


class MixView(BaseModel):
    """A listener's mix.

    ``lufs``, ``true_peak_dbtp`` and ``voice_over_lu`` are predicted from takes; ``pins`` names what
    a person holds.
    """

    aim_lufs: float
    tolerance_lu: float
    ceiling_dbtp: float
    channels: int
    because: str
    sends: list[SentView]
    kept_out: list[KeptOutView]
    lufs: float | None
    true_peak_dbtp: float | None
    voice_over_lu: float | None
    facts: list[MixFactView]
    pins: list[str]
