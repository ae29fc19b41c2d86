"""The live run, the recorder and its files."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from obsidian_wren.service.words import RequestModel, TrackName


class RecorderView(BaseModel):
    """The recorder: what it keeps, how, and how much room there is."""

    tracks: list[TrackName]
    format: Literal["flac", "wav"]
    minutes: float | None
    megabytes: float | None
    recording: bool
    seconds: float
    safe_s: float
    part: int
    files: list[str]
    room_min: float
    megabytes_an_hour: int
    early: str | None
    failed: str | None


class RunView(BaseModel):
    """The live run.

    ``block_ms`` is what it runs in, ``buffer_ms`` what waits at each listener beyond a block,
    ``block_costs`` the sizes that were tried with the share of its own time that each takes;
    ``when_stopped`` what listeners hear when nothing runs, ``predicted_ms`` where the time would go
    then, by names of :class:`PathDelayView`; None without a chain.
    """

    live: bool
    rate_hz: int | None
    since: str | None
    dropouts: int
    gaps_mark: Literal["good", "fault"]
    load: float
    load_mark: Literal["good", "fault"]
    one_rate: bool
    block_ms: float
    block_held: bool
    buffer_ms: float
    buffer_held: bool
    block_costs: list[tuple[float, float]]
    priority_raised: bool
    marker: Literal["idle", "sending"]
    stopped_why: str | None
    recording: bool
    wanted: bool
    when_stopped: str
    predicted_ms: dict[str, float] | None
    feeds_muted: Literal["none", "some", "all"]
    push_to_talk: bool
    talking: bool


class RecordingView(BaseModel):
    """A file of the recorder."""

    id: int
    title: str
    session: str
    track: str
    part: int
    file_name: str
    seconds: float
    channels: int
    loudness_lufs: float | None
    true_peak_dbtp: float | None
    waveform: list[float]
    at: str
    open: bool
    fault: str | None


class TrackChoice(RequestModel):
    """Which tracks are recorded, how, and when a file ends."""

    tracks: list[TrackName] = Field(max_length=4)
    format: Literal["flac", "wav"] = "flac"
    minutes: float | None = Field(default=None, ge=0.05, le=720)
    megabytes: float | None = Field(default=None, ge=1, le=4000)


class BindingView(BaseModel):
    """A knob or pad of a controller, by its message, and what it does. ``title`` is None where
    what it does is no longer there."""

    id: int
    device: str
    kind: Literal["note", "control"]
    channel: int
    number: int
    do: Literal["setting", "stage", "clip", "mute", "talk", "live", "record"]
    stage: str | None
    name: str | None
    clip: int | None
    title: str | None


class ClipNameView(BaseModel):
    """A clip that a pad can play."""

    id: int
    name: str
