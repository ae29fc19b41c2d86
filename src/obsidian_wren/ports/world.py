"""What the services ask of everything around a rig: sources, listeners, players, the computer."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import SoundDevice
from obsidian_wren.core.mix.routes import SourceKind
from obsidian_wren.ports.login import LoginStart
from obsidian_wren.ports.system_sound import SystemSound


class SourceGone(Exception):
    """The source stopped giving sound before the take was whole."""


@dataclass(frozen=True)
class Knob:
    """A preamp's position, range and step, dB."""

    gain_db: float
    low_db: float
    high_db: float
    step_db: float

    def nearest_db(self, gain_db: float) -> float:
        """The nearest step within its range."""
        inside = min(max(gain_db, self.low_db), self.high_db)
        return self.low_db + round((inside - self.low_db) / self.step_db) * self.step_db


@dataclass(frozen=True)
class Controls:
    """Where every control stands that a rig can be told: the preamp in dB or the number of its
    dial, pad, the device's output, the system's slider, its enhancements and depth, and what is
    switched off in the room."""

    gain_db: float | None = None
    dial: float | None = None
    pad_on: bool = False
    trim_db: float = 0.0
    slider_percent: float = 100.0
    enhancements: bool = False
    bits: int = 24
    things_off: frozenset[str] = frozenset()


@dataclass(frozen=True)
class MicrophonePlacement:
    """Where the mouth is from the microphone, and the microphone's pattern."""

    distance_cm: float
    angle_deg: float
    pattern: str


class SoundStream(Protocol):
    """Raw sound of one device.

    ``read`` gives up to ``count`` samples ``(n,)`` or ``(n, channels)``, none at the end; it may
    raise SourceGone.
    """

    rate_hz: int

    def read(self, count: int) -> Samples:
        """The next samples."""
        ...

    def close(self) -> None:
        """Let go of the source."""
        ...


class PushedStream(SoundStream, Protocol):
    """A stream that is fed from outside."""

    def push(self, samples: Samples) -> None:
        """The next samples."""
        ...


class TakeSource(Protocol):
    """A rig that takes can be made from without a file or a browser: the simulated one, or a
    driver."""

    rate_hz: int

    def open_take(
        self, purpose: str, *, seconds: float, repeat: int = 0, controls: Controls | None = None
    ) -> SoundStream:
        """Begin a take of that length; ``controls`` stand for this take only."""
        ...


@dataclass(frozen=True)
class ProgramSettings:
    """What can be set in a listening program, from its own page.

    Times in ms; ``takes_hz`` differs from ``rate_hz`` in one that takes sound of one rate for
    another; ``also`` is a second input that it listens to; ``speaks``: whether someone talks at the
    far end.
    """

    rate_hz: int = 48_000
    takes_hz: int | None = None
    also: str | None = None
    muted: bool = False
    noise_removal: bool = False
    auto_gain: bool = False
    echo_cancelling: bool = False
    activation_dbfs: float | None = None
    narrow_band: bool = False
    bits: int = 10
    hears_itself: bool = False
    speaks: bool = True
    upside_down: bool = False
    latency_ms: float = 20.0
    jitter_ms: float = 10.0
    drift_ppm: float = 0.0


class Feed(Protocol):
    """Where a mix goes: a program that listens, or an input or output of the system.

    ``by_its_clock``: it takes what its own clock asks for; one without a clock takes what comes.
    ``listens``: whether anything takes what it is given just now.
    ``delay_s`` is what it adds, as far as that is known; ``gaps`` counts the sound that was lost
    on the way to it and is not missing at its edge already.
    """

    kind: str
    name: str
    picks: str | None
    takes_hz: int
    settings: ProgramSettings
    by_its_clock: bool
    gaps: int

    @property
    def listens(self) -> bool:
        """Whether anything takes what it is given."""
        ...

    @property
    def delay_s(self) -> float:
        """What it adds to the delay, as far as that is known, seconds."""
        ...

    def set(self, settings: ProgramSettings) -> None:
        """Other settings."""
        ...

    def wants(self, elapsed_s: float) -> int:
        """Samples that it takes in so much of our time, by its own clock."""
        ...

    def hear(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples, at the rate that it takes; never waits."""
        ...


class Probe(Protocol):
    """What can be known of what arrived at a feed, and of what came back: the last seconds, at
    ``rate_hz``."""

    rate_hz: int

    @property
    def gaps(self) -> int:
        """How often something was lost between the feed and here."""
        ...

    def begin(self) -> None:
        """Hear from now on, if it does not always."""
        ...

    def end(self) -> None:
        """Let go of what :meth:`begin` took."""
        ...

    @property
    def position(self) -> int:
        """Samples heard since the beginning."""
        ...

    def heard_since(self, position: int) -> Samples:
        """What was heard from a position on, at its rate."""
        ...

    def arrived_s(self, position: int) -> float | None:
        """When the sample of a position was there, by the machine's clock; None where samples are
        counted and nothing takes time."""
        ...

    @property
    def returned_position(self) -> int:
        """Samples given back since the beginning."""
        ...

    def returned_since(self, position: int) -> Samples:
        """What was given back from a position on, at its rate."""
        ...


class Return(Protocol):
    """The return from a listener."""

    name: str
    rate_hz: int

    def close(self) -> None:
        """Let go of it."""
        ...

    def play(self, elapsed_s: float) -> Samples:
        """The return in so much of our time, ``(n,)`` at its rate."""
        ...


class Listener(Feed, Protocol):
    """A feed with what is known of it. Either may be None: a feed that nothing can be heard of, one
    that nothing comes back from."""

    @property
    def probe(self) -> Probe | None:
        """What arrives can be heard there."""
        ...

    @property
    def returns(self) -> Return | None:
        """The return can be heard there."""
        ...


class Player(Protocol):
    """Sound that plays on: music, the computer's own. ``read`` gives ``(count, 2)`` samples."""

    def close(self) -> None:
        """Let go of it."""
        ...

    def read(self, count: int) -> Samples:
        """The next samples."""
        ...

    def sample(self, seconds: float) -> Samples:
        """So much of it from its beginning, to be measured."""
        ...


class Computer(Protocol):
    """The sound settings of the computer, over a state that the services keep: all of them where it
    is ``simulated``, else what the person changed from here.

    Unknown devices raise KeyError.
    """

    simulated: bool

    def devices(self, state: dict[str, Any]) -> tuple[SoundDevice, ...]:
        """The devices as the system lists them."""
        ...

    def change(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """Set one thing of one device; returns the new state."""
        ...

    def noted(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """The state with how the thing stands that is about to change."""
        ...

    def follow(self, before: dict[str, Any], after: dict[str, Any]) -> None:
        """Let the computer go from one state to another that was put back."""
        ...

    def unplug(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """A device goes away."""
        ...

    def plug_in(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """It returns, under whatever name the system gives it then."""
        ...


@dataclass(frozen=True)
class World:
    """What surrounds the program: a source by rig spec, its knob and rate, what can be switched off
    around it, what the microphone on its second input is called, the computer, sound that plays by
    kind of source, clips that ship with it, which listeners there
    are, by kind and name, which sources, by key, name and whether they are in use at first; the
    sound server of this computer, None where all of this is simulated; the command that begins
    the process of the voice, to which its socket is added; where there is none, what makes a voice
    of this process, given whom it tells and the data folder; whether a loudspeaker stands in the
    room of a rig's spec; further rigs by name, beside the default one; and the response
    that the maker of a rig's microphone gives, rows of Hz and dB; and what has the program started
    at login, None where it is not to be."""

    open_source: Callable[[str], TakeSource]
    knob_of: Callable[[str], Knob]
    rate_of: Callable[[str], int]
    placed: Callable[[str, MicrophonePlacement], str]
    default_spec: str
    open_player: Callable[[str, int], Player]
    open_second: Callable[[int], SoundStream]
    clips: Callable[[int], tuple[tuple[str, Samples], ...]]
    open_browser: Callable[[int], PushedStream]
    things_of: Callable[[str], tuple[str, ...]]
    beside_of: Callable[[str], str | None]
    swap_inputs: Callable[[str], str]
    computer: Computer
    first_settings: Callable[[], dict[str, Any]]
    listeners: tuple[tuple[str, str], ...]
    sources: tuple[tuple[SourceKind, str, bool], ...]
    system: SystemSound | None = None
    voice_command: tuple[str, ...] = ()
    voice_here: Callable[[Callable[[str, dict[str, Any]], None], Path], object] | None = None
    has_loudspeaker: Callable[[str], bool] = lambda spec: False
    other_specs: Mapping[str, str] = field(default_factory=dict)
    maker_response: Callable[[str], list[list[float]]] = lambda spec: []
    login: LoginStart | None = None
