"""What is asked of the voice and what it says, as typed records with a version.

Written as MessagePack. A field that is not known is passed over and one that is missing has its
usual value, so that a page and a voice of neighbouring versions understand each other; what cannot
be understood is refused in a sentence.
"""

from __future__ import annotations

from typing import Any, cast

import msgspec

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix

# Counted up when a voice of before would do something else with what it is sent.
VERSION = 1


class Record(msgspec.Struct, frozen=True, tag=True, omit_defaults=True):
    """The base of everything that goes over the socket."""


class Stage(msgspec.Struct, frozen=True):
    """A stage by its kind, with its settings by their names."""

    kind: str
    values: dict[str, Any]


class SeatRecord(msgspec.Struct, frozen=True):
    """A listener: its key, number and kind, what it is called, the title of its feed, its channels,
    and how long sound waits at its edge, seconds."""

    key: str
    number: int
    kind: str
    name: str
    feed: str
    channels: int = 1
    waiting_s: float = 0.01


class Start(Record, frozen=True):
    """Be live: a microphone by its name for the system, the channel of the voice from 0, at a rate;
    through stages, into mixes, to listeners. ``inputs``: what the name of each feed stands for;
    ``adapts``: blocks grow where gaps come, and shrink again; ``metered``: levels are told 20 times
    a second. Times in seconds."""

    microphone: str
    channel: int
    rate_hz: int
    stages: tuple[Stage, ...]
    seats: tuple[SeatRecord, ...]
    inputs: dict[str, str]
    mixes: tuple[Mix, ...] = ()
    ducking: Ducking | None = None
    muted: frozenset[str] = frozenset()
    block_s: float = 0.01
    adapts: bool = True
    metered: bool = False


class ChangeChain(Record, frozen=True):
    """Go over to other stages without a click."""

    stages: tuple[Stage, ...]


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


Request = Hello | Start | ChangeChain | ChangeMixes | Mute | Stop | End | AskStatus


class Done(Record, frozen=True):
    """It is done."""


class Refusal(Record, frozen=True):
    """It was not done; what to do stands in the sentence."""

    code: str
    sentence: str


class Status(Record, frozen=True):
    """How things stand: what is live, if anything is; since it was last asked the level and peak
    behind the chain in dBFS, None for nothing; the delay from the microphone's sound to the feed in
    ms; gaps so far; the share of a core; why it is silent."""

    version: int = VERSION
    process: int = 0
    live: bool = False
    level_dbfs: float | None = None
    peak_dbfs: float | None = None
    delay_ms: float | None = None
    gaps: int = 0
    load: float = 0.0
    block_s: float = 0.0
    priority_raised: bool = False
    silent_because: str | None = None
    running: Start | None = None


class News(Record, frozen=True):
    """Something that happened, as open pages get it."""

    kind: str
    body: dict[str, Any]


class Asked(msgspec.Struct, frozen=True):
    """A request with its number."""

    number: int
    request: Request


class Said(msgspec.Struct, frozen=True):
    """An answer to the request of a number, or news with the number 0."""

    number: int
    answer: Done | Refusal | Status | News


def stage_of(spec: StageSpec) -> Stage:
    """A stage as it is sent."""
    return Stage(spec.kind, msgspec.to_builtins(spec))


def spec_of(stage: Stage) -> StageSpec:
    """The settings of a stage that came. Raises KeyError for a kind that is not known,
    msgspec.ValidationError for what is none of its settings."""
    found = KINDS[stage.kind].spec_class()
    return cast(StageSpec, msgspec.convert(stage.values, cast(Any, found)))
