"""What the page shows of Send: listeners and their mixes, sources, clips, the run, recordings."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from obsidian_wren.service.said import Said

DestinationKind = Literal["call", "game chat", "stream", "recorder", "headphones", "second computer"]
SourceKind = Literal["voice", "second", "computer", "music", "clips", "return"]
Tap = Literal["treated", "raw"]
TrackName = Literal["treated", "raw", "returns", "mix"]


class InputView(BaseModel):
    """An input that programs can pick: the name that the computer shows, what it is, and the listener it is made for."""

    name: str
    kind: Literal["raw", "treated"]
    title: str
    of: str | None = None


class VerdictView(BaseModel):
    """One finding about a listener, and what to change where."""

    code: str
    mark: Literal["good", "fault", "note"]
    sentence: str
    advice: str | None


class SentView(BaseModel):
    """A source in a mix: the loudness at which it arrives, its gain, how far it drops under the voice, and why."""

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
    """A listener's mix. ``lufs``, ``true_peak_dbtp`` and ``voice_over_lu`` are foreseen from takes; ``pins`` names what a person holds."""

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
    voice_over_aim_lu: float
    pins: list[str]


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
    """The newest proof at a listener. ``ours_ms`` is the part of the delay that is made here."""

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


class DestinationView(BaseModel):
    """A listener."""

    key: str
    name: str
    kind: DestinationKind
    on: bool
    feed: str | None
    picks: str | None
    program: ProgramSettingsView | None
    mix: MixView | None
    audit: list[VerdictView]
    proof: ProofView | None
    delay: PathDelayView | None


class SourceView(BaseModel):
    """Something that can be heard; loudness as it was measured; ``because`` says what its own chain does, where it has one of its own."""

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
    """What comes back from a listener, before and after it is treated."""

    of: str
    name: str
    before: ReturnReadingView | None
    after: ReturnReadingView | None
    because: list[str]


class ClipView(BaseModel):
    """A clip on a key. ``waveform`` is of the whole of it: the highest sample of each stretch, as a share of its highest of all."""

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
    early: str | None
    failed: str | None


class RunView(BaseModel):
    """The live run. ``block_ms`` is what it runs in, ``buffer_ms`` what waits at each listener beyond a block, ``block_costs`` the sizes that were tried with the share of
    its own time that each takes; ``when_stopped`` what listeners hear when nothing runs."""

    live: bool
    rate_hz: int | None
    since: str | None
    dropouts: int
    load: float
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


class TrackChoice(Said):
    """Which tracks are recorded, how, and when a file ends."""

    tracks: list[TrackName] = Field(max_length=4)
    format: Literal["flac", "wav"] = "flac"
    minutes: float | None = Field(default=None, ge=0.05, le=720)
    megabytes: float | None = Field(default=None, ge=1, le=4000)
