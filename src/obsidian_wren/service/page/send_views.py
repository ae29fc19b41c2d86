"""What the page is told of Send: who is heard, who hears, what is live."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, Field

from obsidian_wren.core.derive.verdicts import Fact
from obsidian_wren.core.loudspeaker.deciding import LoudspeakerSwitch
from obsidian_wren.core.mix.checks import Check, KeptProof
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.return_plan import ReturnReading
from obsidian_wren.core.mix.routes import DestinationKind, SourceKind, Tap
from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.service.words import RequestModel, TrackName


class ProofCountView(BaseModel):
    """How many listeners that pick an input are proved, of how many."""

    good: int
    all: int


class SourceView(BaseModel):
    """Something that can be heard; loudness as it was measured; ``because`` says what its own
    chain does, where it has one of its own."""

    key: str
    name: str
    kind: SourceKind
    on: bool
    lufs: float | None
    because: list[str]


class PersonChoiceView(BaseModel):
    """A rig that the person beside you may talk into; ``why_not``: why they cannot."""

    id: int
    name: str
    why_not: str | None


class SpillView(BaseModel):
    """One person in the other's microphone: their voice there against their own microphone, by how
    much that microphone goes down while only they talk, how much later it is there, ms, and the
    seconds of talk that this stands on."""

    who: Literal["voice", "person"]
    level_db: float
    depth_db: float
    late_ms: float
    seconds: float


class TwoPeopleView(BaseModel):
    """Who sits beside you, by the id of their rig; ``spill``: of each that was measured by now;
    ``is_lowered``: each is lowered while only the other one talks; ``is_old``: it was measured
    with another microphone, place or gain; ``on_two_devices``: neither can be lowered.
    ``seconds``: how long one has to talk for it."""

    rigs: list[PersonChoiceView]
    chosen: int | None
    on: bool
    live: bool
    spill: list[SpillView]
    is_lowered: bool
    is_old: bool
    on_two_devices: bool
    seconds: float


class CaseView(BaseModel):
    """A common case that one choice sets up."""

    key: str
    title: str
    chosen: bool


class ReturnView(BaseModel):
    """The return from a listener, before and after it is treated."""

    of: str
    name: str
    before: ReturnReading | None
    after: ReturnReading | None
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


@dataclass(frozen=True, kw_only=True)
class DuckingView(Ducking):
    """How what plays under the voice drops."""

    because: str


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
    facts: list[Fact]
    pins: list[str]


@dataclass(frozen=True, kw_only=True)
class ProofView(KeptProof):
    """The newest proof at a listener."""

    good: bool
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
    program: ProgramSettings | None
    mix: MixView | None
    audit: list[Verdict]
    checks: list[Check]
    proof: ProofView | None
    delay: PathDelayView | None
    muted: bool
    push: bool
    mute_reaches: bool


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


class LoudspeakerView(BaseModel):
    """What a loudspeaker plays: whether it is taken out and why; while it is, what was found of it,
    and the delay that this costs."""

    switch: LoudspeakerSwitch
    facts: tuple[Fact, ...] = ()


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
    loudspeaker: LoudspeakerView


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


class DecidedView(BaseModel):
    """One decision in which two differ, each as it is read."""

    title: str
    first: str
    second: str


class SituationView(BaseModel):
    """A situation: whether it is in force; the listener that it follows, by key and name, and
    whether that has a feed now; ``differs``: where it decides otherwise than now, now first."""

    id: int
    name: str
    in_force: bool
    follows: str | None
    follows_name: str | None
    can_follow: bool
    used_by_itself: bool
    differs: list[DecidedView]


class FollowingView(BaseModel):
    """Whether situations that follow somebody are held off for now, and what is waited for."""

    held_off: bool
    waits: str | None


class NoticedView(BaseModel):
    """What happened to the rig, what to do, and whether one press takes it over."""

    code: str
    sentence: str
    action: str
    at: str
    takes_over: bool


class NoticingView(BaseModel):
    """The watch beside what is live: whether it is wanted and runs, why it cannot, how much talk it
    heard and how many ordinary days it knows, what is wrong with the sound now, and what
    happened."""

    on: bool
    watches: bool
    why_not: str | None
    talk_min: int
    days: int
    fault: str | None
    noticed: NoticedView | None


class BindingView(BaseModel):
    """A knob or pad of a controller, by its message, and what it does. ``title`` is None where
    what it does is no longer there."""

    id: int
    device: str
    kind: Literal["note", "control"]
    channel: int
    number: int
    do: Literal["setting", "stage", "clip", "mute", "talk", "live", "record", "situation"]
    stage: str | None
    name: str | None
    clip: int | None
    situation: int | None
    title: str | None


class ClipNameView(BaseModel):
    """A clip that a pad can play."""

    id: int
    name: str
