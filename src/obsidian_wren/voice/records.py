"""What is asked of the voice and what it says, as typed records with a version.

Written as MessagePack. A field that is not known is passed over and one that is missing has its
usual value, so that a page and a voice of neighbouring versions understand each other; what cannot
be understood is refused in a sentence.
"""

from __future__ import annotations

from typing import Any, Literal, cast

import msgspec
import numpy as np

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import BLOCKS_MS, BlockCost
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.mix.spill import SpillPath
from obsidian_wren.ports.world import Controls, ProgramSettings

# Counted up when a voice of before would do something else with what it is sent.
VERSION = 2
FileFormat = Literal["flac", "wav"]


class Record(msgspec.Struct, frozen=True, tag=True, omit_defaults=True):
    """The base of everything that goes over the socket."""


class StageRecord(msgspec.Struct, frozen=True):
    """A stage by its kind, with its settings by their names."""

    kind: str
    values: dict[str, Any]


class Program(msgspec.Struct, frozen=True):
    """A program that is simulated: the input that it picks, and what is set in it."""

    picks: str | None = None
    settings: ProgramSettings = ProgramSettings()


class SimulatedRigRecord(msgspec.Struct, frozen=True):
    """A rig that is simulated: what it is made of, as JSON, and where its controls stand."""

    spec: str
    controls: Controls


class SeatRecord(msgspec.Struct, frozen=True):
    """A listener: its key, number and kind, what it is called, the title of its feed, None for
    headphones, its channels, and how long sound waits at its edge, seconds; the program that is
    simulated there, None for what this computer has."""

    key: str
    number: int
    kind: str
    name: str
    feed: str | None
    channels: int = 1
    waiting_s: float = 0.01
    program: Program | None = None


class PersonRecord(msgspec.Struct, frozen=True):
    """Somebody beside the voice with a microphone of their own, by its name for the system and its
    channel from 0, or a simulated ``rig``; the stages of their own calibration. ``spill``: the
    first person in this microphone, and this one in the first's, None before it is measured;
    neither is lowered then."""

    microphone: str = ""
    channel: int = 0
    stages: tuple[StageRecord, ...] = ()
    spill: tuple[SpillPath, SpillPath] | None = None
    rig: SimulatedRigRecord | None = None


class Ends(Record, frozen=True):
    """Where the system's other ends are now, by name: the output of each pair of headphones and
    what is heard as the return from each listener, by its key, and what is heard as the computer's
    sound. None for nowhere."""

    outputs: dict[str, str | None] = {}
    returns: dict[str, str | None] = {}
    computer: str | None = None


class Start(Record, frozen=True):
    """Be live: a microphone by its name for the system, the channel of the voice from 0, at a rate;
    through stages, into mixes, to listeners. ``source``: “system” for that microphone, “pushed” for
    pieces that come as :class:`Push`, “take” for what came as :class:`KeepTake`, round and round,
    “simulated” for the simulated ``rig``; the last two ``speed`` times as fast as they sound.
    ``inputs``: what the name of each feed stands for; ``played``: what a loudspeaker plays is taken
    out of the microphone, known from the “computer”'s own sound or from the “returns”;
    ``person``: somebody beside the voice, where ``sources`` have “person”;
    ``sources``: what is heard beside the voice, of “second”, a second microphone through stages of
    its own, “music”, “computer” and “clips”; ``returns``: the stages
    of the return from each listener that has one; ``ends``: where the system's other ends are;
    ``adapts``: blocks grow where gaps come, and shrink again. Times in seconds."""

    microphone: str
    channel: int
    rate_hz: int
    stages: tuple[StageRecord, ...]
    seats: tuple[SeatRecord, ...]
    inputs: dict[str, str]
    mixes: tuple[Mix, ...] = ()
    ducking: Ducking | None = None
    muted: frozenset[str] = frozenset()
    block_s: float = 0.01
    sources: frozenset[str] = frozenset()
    returns: dict[str, tuple[StageRecord, ...]] = {}
    ends: Ends = Ends()
    adapts: bool = True
    source: Literal["system", "pushed", "take", "simulated"] = "system"
    rig: SimulatedRigRecord | None = None
    second: tuple[StageRecord, ...] = ()
    speed: float = 1.0
    played: Literal["", "computer", "returns"] = ""
    person: PersonRecord | None = None


class Push(Record, frozen=True):
    """The next piece of a microphone that somebody else opened, 32-bit floats at the rate of what
    is live."""

    sound: bytes


class KeepTake(Record, frozen=True):
    """The take that what is live next may be begun from, 32-bit floats at its rate."""

    sound: bytes


class Turn(Record, frozen=True):
    """Where the controls of simulated rigs stand from now on."""

    controls: Controls


class LetTalk(Record, frozen=True):
    """Who talks of two simulated people at one desk: “voice”, “person”, or both in turns."""

    who: Literal["voice", "person", "both"] = "both"


class SetPrograms(Record, frozen=True):
    """What simulated programs pick, and have set, from now on, by the keys of their listeners."""

    of: dict[str, Program]


class Rehearse(Record, frozen=True):
    """Say what a block of each of these sizes, ms, costs through these stages and mixes at a rate,
    until one leaves enough time. Nobody hears it."""

    stages: tuple[StageRecord, ...]
    mixes: tuple[Mix, ...]
    ducking: Ducking
    rate_hz: int
    blocks_ms: tuple[float, ...] = BLOCKS_MS


class Costs(Record, frozen=True):
    """What blocks cost, the one to take last."""

    of: tuple[BlockCost, ...]


class TreatReturn(Record, frozen=True):
    """Treat the return from a listener without a click."""

    of: str
    stages: tuple[StageRecord, ...]


class PressClip(Record, frozen=True):
    """Play a clip: 32-bit floats at the rate of what is live; none to stop it."""

    number: int
    sound: bytes = b""


class SendMarker(Record, frozen=True):
    """Send the codes of a marker, 32-bit floats at the rate of what is live, and say what arrived.
    It lasts some seconds, so who asks does it over a connection of its own."""

    raw: bytes
    treated: bytes
    feeds: dict[str, bytes]
    returns: dict[str, bytes] = {}


class Track(msgspec.Struct, frozen=True):
    """A track of sound: a signal by its name (``voice at once``), or the mix for a listener (``mix
    KEY``), and its channels."""

    signal: str
    channels: int = 1


class Share(Record, frozen=True):
    """Write tracks into memory that who asks can read, under a name: what it was before is no
    longer written; no tracks end it."""

    name: str
    tracks: tuple[Track, ...]


class Listen(Record, frozen=True):
    """Write what a simulated rig hears, “talk” or “rest”, into memory that who asks can read, as
    :class:`Share` does of what is live; ``Share`` without tracks ends it."""

    name: str
    rig: SimulatedRigRecord
    purpose: str


class AskSound(Record, frozen=True):
    """The last seconds of what was sent to a listener, or of its return as it came; of what a
    simulated program heard, or gave back, by its own clock."""

    of: str
    what: Literal["sent", "returned", "heard", "given back"]
    seconds: float


class FeedRecord(msgspec.Struct, frozen=True):
    """An input that programs can pick: its title and its channels."""

    title: str
    channels: int = 1


class RecordedTrack(msgspec.Struct, frozen=True):
    """A track that is recorded: its name in files, its title, the signal or mix that it keeps, and
    its channels."""

    name: str
    title: str
    signal: str
    channels: int = 1


class BeginRecording(Record, frozen=True):
    """Record what is live, a file for every track, in a folder, as ``STEM NAME 01.flac`` and so on;
    a file ends after so many minutes or megabytes, None for never. ``key`` and ``title`` are what
    who asks knows it by. News tells of every part before its files begin (``recording part``), of
    every file that is whole (``recorded file``), of trouble (``recording trouble``), and of the end
    (``recording ended``)."""

    key: str
    title: str
    folder: str
    stem: str
    tracks: tuple[RecordedTrack, ...]
    file_format: FileFormat = "flac"
    minutes: float | None = None
    megabytes: float | None = None

    def file_name(self, track: RecordedTrack, part: int) -> str:
        """What the file of a track is called."""
        return f"{self.stem} {track.name} {part:02d}.{self.file_format}"


class SplitRecording(Record, frozen=True):
    """End every file here and go on in the next ones, without a gap."""


class EndRecording(Record, frozen=True):
    """Write what waits, and finish the files."""


class Feeds(Record, frozen=True):
    """The inputs that there shall be, by the keys of their listeners, and no others, but for those
    that somebody records still: they are silent. ``stay``: they stay when the voice ends."""

    wanted: dict[str, FeedRecord]
    stay: bool = False


class ChangeChain(Record, frozen=True):
    """Go over to other stages without a click."""

    stages: tuple[StageRecord, ...]


class ChangeMixes(Record, frozen=True):
    """Go over to other mixes without a click."""

    mixes: tuple[Mix, ...]
    inputs: dict[str, str]


class Mute(Record, frozen=True):
    """Keep the voice out of the mixes of these listeners, and of no others."""

    listeners: frozenset[str]


class Stop(Record, frozen=True):
    """Be live no more; the feeds are silent."""


class End(Record, frozen=True):
    """End the process. Feeds that programs record carry silence until nobody does."""


class AskStatus(Record, frozen=True):
    """Say how things stand."""


class Hello(Record, frozen=True):
    """Who asks: of which version; ``tied``: the voice ends when this one goes."""

    version: int = VERSION
    tied: bool = False


Request = (
    Hello
    | Start
    | ChangeChain
    | ChangeMixes
    | Mute
    | Ends
    | Feeds
    | Rehearse
    | TreatReturn
    | Push
    | KeepTake
    | Turn
    | LetTalk
    | SetPrograms
    | Listen
    | PressClip
    | SendMarker
    | AskSound
    | Share
    | BeginRecording
    | SplitRecording
    | EndRecording
    | Stop
    | End
    | AskStatus
)


class Done(Record, frozen=True):
    """It is done."""


class Refusal(Record, frozen=True):
    """It was not done; what to do stands in the sentence."""

    code: str
    sentence: str


class Troubles(Record, frozen=True):
    """Why feeds are not there, by the keys of their listeners, as sentences."""

    of: dict[str, str]


class SeatStatus(msgspec.Struct, frozen=True):
    """Where the time of a listener's path goes, ms; how far its clock is from ours, parts in a
    million; how often sound was lost on the way to it; how long sound waits at its edge, s."""

    chain_ms: float
    mix_ms: float
    block_ms: float
    edge_ms: float
    drift_ppm: float
    gaps: int
    waiting_s: float = 0.01


class RecordingStatus(msgspec.Struct, frozen=True):
    """What is recorded: as it was asked for, the number of the files in hand, and the seconds that
    were written to them, and that a kill now would leave."""

    asked: BeginRecording
    part: int
    seconds: float
    safe_s: float


class LoudspeakerStatus(msgspec.Struct, frozen=True):
    """What a loudspeaker plays: how late it is found in the microphone, ms, by how much it is
    lowered there, dB, None before either is known; by how much its clock is slow, parts in a
    million; what taking it out costs in delay, ms."""

    late_ms: float | None
    lowered_db: float | None
    drift_ppm: float
    delay_ms: float


class Status(Record, frozen=True):
    """How things stand: what is live, if anything is; since it was last asked the level and peak
    behind the chain in dBFS, None for nothing; the delay from the microphone's sound to the feed in
    ms; gaps so far, and those of the microphone among them; the share of a core; why it is silent,
    and whether that is because the source went away; each listener; the feeds that are there; what
    is recorded; what is taken out of what a loudspeaker plays, where it is."""

    version: int = VERSION
    process: int = 0
    live: bool = False
    level_dbfs: float | None = None
    peak_dbfs: float | None = None
    delay_ms: float | None = None
    gaps: int = 0
    microphone_gaps: int = 0
    load: float = 0.0
    block_s: float = 0.0
    priority_raised: bool = False
    silent_because: str | None = None
    source_gone: bool = False
    running: Start | None = None
    seats: dict[str, SeatStatus] = {}
    feeds: tuple[str, ...] = ()
    recording: RecordingStatus | None = None
    loudspeaker: LoudspeakerStatus | None = None


class Sound(Record, frozen=True):
    """Sound ``(n,)`` of 32-bit floats at a rate."""

    rate_hz: int
    samples: bytes


class Shared(Record, frozen=True):
    """Where tracks are written, side by side, as ``voice.shared.TracksReader`` takes it, at what
    rate."""

    place: str
    tracks: int
    frames: int
    rate_hz: int


class Heard(msgspec.Struct, frozen=True):
    """What one listener heard of a marker, as ``voice.marker_flight.HeardMarker`` has it; how often
    something was lost between its feed and where it was heard, and when its first sample was
    there, by the machine's clock."""

    rate_hz: int
    takes_hz: int
    heard: bytes
    returned: bytes
    sent_before: bytes
    heard_before: bytes
    began_s: float
    start: int
    before_s: float
    gaps: int
    arrived_s: float | None


class MarkerHeard(Record, frozen=True):
    """What arrived of a marker, by listener; how often what is live lost sound meanwhile."""

    at: dict[str, Heard]
    lost: int


class News(Record, frozen=True):
    """Something that happened, as open pages get it."""

    kind: str
    body: dict[str, Any]


Answer = Costs | Done | Refusal | Status | Troubles | Sound | Shared | MarkerHeard | News


class NumberedRequest(msgspec.Struct, frozen=True):
    """A request with its number."""

    number: int
    request: Request


class NumberedAnswer(msgspec.Struct, frozen=True):
    """An answer to the request of a number, or news with the number 0."""

    number: int
    answer: Answer


def after(running: Start, asked: Request) -> Start:
    """What is live, once what was asked of it is done: what would have to be started to have it
    again."""
    replace = msgspec.structs.replace
    if isinstance(asked, ChangeChain):
        return replace(running, stages=asked.stages)
    if isinstance(asked, ChangeMixes):
        return replace(running, mixes=asked.mixes, inputs=asked.inputs)
    if isinstance(asked, Mute):
        return replace(running, muted=asked.listeners)
    if isinstance(asked, Ends):
        return replace(running, ends=asked)
    if isinstance(asked, Feeds):
        seats = tuple(
            replace(seat, feed=asked.wanted[seat.key].title) if seat.key in asked.wanted else seat
            for seat in running.seats
        )
        return replace(running, seats=seats)
    if isinstance(asked, SetPrograms):
        seats = tuple(
            replace(seat, program=asked.of.get(seat.key, seat.program)) for seat in running.seats
        )
        return replace(running, seats=seats)
    if isinstance(asked, Turn) and running.rig is not None:
        return replace(running, rig=replace(running.rig, controls=asked.controls))
    if isinstance(asked, TreatReturn):
        return replace(running, returns={**running.returns, asked.of: asked.stages})
    return running


def stage_of(spec: StageSpec) -> StageRecord:
    """A stage as it is sent."""
    return StageRecord(spec.kind, msgspec.to_builtins(spec))


def spec_of(stage: StageRecord) -> StageSpec:
    """The settings of a stage that came. Raises KeyError for a kind that is not known,
    msgspec.ValidationError for what is none of its settings."""
    found = KINDS[stage.kind].spec_class()
    return cast(StageSpec, msgspec.convert(stage.values, cast(Any, found)))


def bytes_of(samples: Samples) -> bytes:
    """``(n,)`` samples as they are sent."""
    return samples.astype(np.float32).tobytes()


def samples_of(sent: bytes) -> Samples:
    """``(n,)`` samples that came."""
    return np.frombuffer(sent, dtype=np.float32).astype(np.float64)
