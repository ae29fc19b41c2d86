"""Listeners, their programs and proofs."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.core.mix.routes import DestinationKind
from obsidian_wren.service.page.send_views.mix import MixView
from obsidian_wren.service.page.send_views.verdicts import CheckView, VerdictView


class ProgramSettingsView(BaseModel):
    """What is set in a listening program."""

    rate_hz: int
    takes_hz: int | None
    also: str | None
    muted: bool
    noise_removal: bool
    auto_gain: bool
    echo_cancelling: bool
    activation_dbfs: float | None
    narrow_band: bool
    bits: int
    hears_itself: bool
    speaks: bool
    upside_down: bool
    latency_ms: float
    jitter_ms: float
    drift_ppm: float


class ProofView(BaseModel):
    """The newest proof at a listener: the delay from the microphone on, waiting for a block
    included; ``ours_ms`` is the part of it that is made here."""

    good: bool
    verdicts: list[VerdictView]
    delay_ms: float | None
    ours_ms: float | None
    level_db: float | None
    lufs: float | None
    at: str
    stale: bool


class PathDelayView(BaseModel):
    """Where the time of a listener's path goes, ms."""

    chain_ms: float
    mix_ms: float
    block_ms: float
    edge_ms: float
    total_ms: float
    drift_ppm: float


class SystemProgramView(BaseModel):
    """A program of this computer that records: ``picked`` is the title of what it picked, ``feed``
    the key of the feed that this is, None for another."""

    index: int
    program: str
    process_id: int | None
    picked: str | None
    hears: Literal["feed", "raw", "other"]
    feed: str | None
    volume_percent: int
    muted: bool


class SystemPlayerView(BaseModel):
    """A program of this computer that plays, and the title of the output that it plays to."""

    index: int
    program: str
    output: str | None


class DestinationView(BaseModel):
    """A listener. ``settable`` names what can be set in its program, ``sounds`` what of it can be
    heard; ``feed`` is None where it is played to and picks nothing, ``title`` the person's name for
    it; ``plays`` names the program that is heard from it, or the output that it is played to."""

    key: str
    name: str
    kind: DestinationKind
    on: bool
    feed: str | None
    title: str | None
    plays: str | None
    settable: list[str]
    sounds: list[Literal["heard", "sent", "returned"]]
    picks: str | None
    program: ProgramSettingsView | None
    mix: MixView | None
    audit: list[VerdictView]
    checks: list[CheckView]
    proof: ProofView | None
    delay: PathDelayView | None
    muted: bool
    push: bool
    mute_reaches: bool
