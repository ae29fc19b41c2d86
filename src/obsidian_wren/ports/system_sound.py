"""What the services ask of the sound server of the desktop: microphones, outputs, inputs of ours
that other programs can pick, and who records or plays."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.sound_device import DeviceField, SoundDevice
from obsidian_wren.core.told import Told

# The rate of every feed; the sound server converts for who listens.
FEED_HZ = 48_000


class NoSoundServer(Told, RuntimeError):
    """No sound server of the desktop answers, or it would not do something; says what to do."""


@dataclass(frozen=True)
class SystemMicrophone:
    """A microphone as the sound server lists it: its name for the server, its title for people, its
    own rate and channels, the system's volume of it (100 for no change), whether it is muted,
    whether programs get it where nothing else is picked, and whether it is an input of ours."""

    name: str
    title: str
    rate_hz: int
    channels: int
    volume_percent: float
    muted: bool
    is_default: bool
    ours: bool


@dataclass(frozen=True)
class SystemInput:
    """An input of ours that programs can pick: its key and its title."""

    key: str
    title: str


@dataclass(frozen=True)
class SystemListener:
    """A program that records now: its stream, name and process, the microphone that it picked by
    name, whether that is an input of ours, and its own volume and mute."""

    index: int
    program: str
    process_id: int | None
    microphone: str | None
    hears_us: bool
    volume_percent: float
    muted: bool


@dataclass(frozen=True)
class SystemPlayer:
    """A program that plays now: its stream, name and process, and the output that it plays to."""

    index: int
    program: str
    process_id: int | None
    output: str | None


@dataclass(frozen=True)
class Surroundings:
    """The computer as it was last seen: which server answers, the devices, who records and who
    plays; or why nothing is known, as a code and a sentence that says what to do."""

    server: str | None = None
    missing: tuple[str, str] | None = None
    devices: tuple[SoundDevice, ...] = ()
    listeners: tuple[SystemListener, ...] = ()
    players: tuple[SystemPlayer, ...] = ()


class SystemFeed(Protocol):
    """Our end of an input that programs listen to, of one channel or two."""

    channels: int

    @property
    def is_whole(self) -> bool:
        """Whether what is written still reaches who listens."""
        ...

    @property
    def gaps(self) -> int:
        """How often sound was lost on the way to who listens."""
        ...

    @property
    def unread_s(self) -> float:
        """For how long the server has taken nothing of what was written, seconds."""
        ...

    @property
    def held_up(self) -> Sequence[tuple[int, int]]:
        """Threads of the server that read what is written and do not come before other programs,
        by process and thread."""
        ...

    @property
    def delay_s(self) -> float:
        """What waited at it for the server when it was written to last, seconds."""
        ...

    def write(self, block: Samples, *, as_it_is: bool = False) -> None:
        """The next ``(n,)`` or ``(n, channels)`` samples at ``FEED_HZ``; never waits.
        ``as_it_is``: somebody measures what arrives, so not a sample more or less goes in."""
        ...

    def close(self) -> None:
        """Leave it; who listens hears silence."""
        ...


class Output(Protocol):
    """Headphones or loudspeakers that are played to. ``missed`` counts the times that there was
    nothing to play, ``asked`` the samples that its clock asked for."""

    rate_hz: int
    missed: int
    asked: int

    @property
    def is_gone(self) -> bool:
        """Whether the output went away."""
        ...

    @property
    def delay_s(self) -> float:
        """How long sound waits at it, seconds."""
        ...

    def write(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples; never waits."""
        ...

    def close(self) -> None:
        """Let go of it."""
        ...


class LiveMicrophone(Protocol):
    """A stream that knows when its sound arrived and how often it lost some."""

    rate_hz: int
    channels: int

    @property
    def gaps(self) -> int:
        """How often sound was lost because nobody read it in time."""
        ...

    @property
    def arrived_s(self) -> float:
        """When the last of it came, seconds of the monotonic clock."""
        ...

    def read(self, count: int) -> Samples:
        """The next samples ``(n,)`` or ``(n, channels)``; raises SourceGone."""
        ...

    def close(self) -> None:
        """Let go of it."""
        ...


class SystemSound(Protocol):
    """The sound server of this session. Calls raise NoSoundServer where none answers, SourceGone
    where what is named is not there."""

    @property
    def seen(self) -> Surroundings:
        """The computer as it was last looked at."""
        ...

    def look(self) -> bool:
        """Look again; whether anything is different. Never raises."""
        ...

    def watch(self, changed: Callable[[], None]) -> Callable[[], None]:
        """Call ``changed`` from a thread whenever something comes, goes or changes; gives what ends
        it."""
        ...

    def open_microphone(
        self,
        name: str,
        *,
        rate_hz: int | None = None,
        channels: int | None = None,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> LiveMicrophone:
        """Read a microphone, a monitor or an input of ours; at its own rate unless one is given,
        with at least the first ``channels``, or as many as there are.

        What nobody reads for three blocks, or for ``patience_s``, is lost.
        """
        ...

    def open_output(self, name: str, *, rate_hz: int, channels: int) -> Output:
        """Play to an output."""
        ...

    def set_device(self, device_id: str, field: DeviceField, value: float | bool) -> None:
        """Set one thing of a device, as far as the server can."""
        ...

    def input_name(self, key: str) -> str:
        """The name by which the server knows an input of ours."""
        ...

    def ensure_input(self, key: str, title: str, channels: int = 1) -> SystemFeed:
        """A named input of one channel or two that any program can pick, and our end of it."""
        ...

    def listed_as(self, title: str) -> str:
        """What programs list an input of this title as: not every server takes every sign."""
        ...

    def keeps_input(self, key: str, title: str, channels: int = 1) -> bool:
        """Whether what is there of an input would be taken over as it is, so that nobody who
        records it is moved."""
        ...

    def relieve_input(self, key: str) -> None:
        """Nobody keeps an input for those who record it any more, nor takes it away where they
        go; it stays as it is."""
        ...

    def hand_over(self, feeds: Mapping[str, SystemFeed], *, stay: bool) -> set[str]:
        """The program ends: inputs that programs record now, or all of them where they are to
        ``stay``, carry silence from now on without it. Returns their keys; whose key it is not
        may be taken away. Feeds have to be closed all the same."""
        ...

    def take_back(self) -> tuple[tuple[SystemListener, SystemInput], ...]:
        """Let those whom the server moved away from an input of ours record it again; returns who,
        and the input. Of what was looked at last; never raises."""
        ...

    def inputs(self) -> tuple[SystemInput, ...]:
        """The inputs of ours that are there."""
        ...

    def remove_input(self, key: str) -> None:
        """Take one of our inputs away."""
        ...

    def move_listener(self, index: int, microphone: str) -> None:
        """Let a program hear another microphone."""
        ...

    def ensure_output(self, key: str, title: str) -> str:
        """An output of ours that plays nowhere, for a return; gives its name."""
        ...

    def remove_output(self, key: str) -> None:
        """Take one of our outputs away."""
        ...

    def monitor_of(self, output: str) -> str:
        """The name by which what an output plays is opened like a microphone."""
        ...

    def move_output(self, index: int, output: str) -> None:
        """Let a program play to another output."""
        ...
