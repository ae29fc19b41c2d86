"""Ports: what the services ask of the outside. Stand-ins and real devices implement them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.audit import Change, SoundDevice


class SourceGone(Exception):
    """The source stopped giving sound before the take was whole."""


@dataclass(frozen=True)
class Knob:
    """A preamp's position, range and step, dB."""

    gain_db: float
    low_db: float
    high_db: float
    step_db: float


@dataclass(frozen=True)
class Controls:
    """Where every control stands that a rig can be told: the preamp in dB or the number of its dial, pad, the device's output, the
    system's slider, its enhancements and depth, and what is switched off in the room."""

    gain_db: float | None = None
    dial: float | None = None
    pad_on: bool = False
    trim_db: float = 0.0
    slider_percent: float = 100.0
    enhancements: bool = False
    bits: int = 24
    things_off: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Placement:
    """Where the mouth is from the microphone, and the microphone's pattern."""

    distance_cm: float
    angle_deg: float
    pattern: str


class SoundStream(Protocol):
    """Sound as it comes. ``read`` gives up to ``count`` samples ``(n,)`` or ``(n, channels)``, none at the end; it may raise SourceGone."""

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
    """A rig that takes can be made from without a file or a browser: the simulated one, or a driver."""

    rate_hz: int

    @property
    def knob(self) -> Knob:
        """The preamp."""
        ...

    def set(self, controls: Controls) -> None:
        """Put every control where it is said to stand."""
        ...

    def turn(self, gain_db: float) -> Knob:
        """Turn the preamp."""
        ...

    def open_take(self, purpose: str, *, seconds: float, repeat: int = 0, controls: Controls | None = None) -> SoundStream:
        """Begin a take of that length; ``controls`` stand for this take only."""
        ...

    def open_live(self, purpose: str = "talk") -> SoundStream:
        """Sound without end: ``talk`` for the live run, ``rest`` for listening into the room."""
        ...


class Listener(Protocol):
    """A destination: picks an input by name and hears it block by block."""

    name: str
    kind: str
    picks: str | None
    rate_hz: int

    def hear(self, block: Samples) -> None:
        """The next block of the input that it picked."""
        ...


class KeepingListener(Listener, Protocol):
    """A listener that lets its sound be looked at: where proofs are taken."""

    @property
    def position(self) -> int:
        """Samples heard since the beginning."""
        ...

    def heard_since(self, position: int) -> Samples:
        """What it heard from a position on."""
        ...


class RecordingListener(Listener, Protocol):
    """A listener that writes a file."""

    def start(self, path: Path) -> None:
        """Begin a file."""
        ...

    def stop(self) -> None:
        """Close it."""
        ...


class Computer(Protocol):
    """The sound settings of the computer, over a state that the services keep. Unknown devices raise KeyError."""

    def devices(self, state: dict[str, Any]) -> tuple[SoundDevice, ...]:
        """The devices as the system lists them."""
        ...

    def change(self, state: dict[str, Any], change: Change) -> dict[str, Any]:
        """Set one thing of one device; returns the new state."""
        ...

    def unplug(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """A device goes away."""
        ...

    def plug_in(self, state: dict[str, Any], device_id: str) -> dict[str, Any]:
        """It returns, under whatever name the system gives it then."""
        ...


@dataclass(frozen=True)
class World:
    """What surrounds the program: a source by rig spec, what can be switched off around it, the computer, and the listeners."""

    open_source: Callable[[str], TakeSource]
    knob_of: Callable[[str], Knob]
    placed: Callable[[str, Placement], str]
    default_spec: str
    make_call: Callable[[int], KeepingListener]
    make_recorder: Callable[[int], RecordingListener]
    open_browser: Callable[[int], PushedStream]
    things_of: Callable[[str], tuple[str, ...]]
    computer: Computer
    first_settings: Callable[[], dict[str, Any]]
