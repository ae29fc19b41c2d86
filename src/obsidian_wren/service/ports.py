"""Ports: what the services ask of the outside. Stand-ins and real devices implement them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from obsidian_wren.core.decibels import Samples


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
class Placement:
    """Where the mouth is from the microphone, and the microphone's pattern."""

    distance_cm: float
    angle_deg: float
    pattern: str


class SoundStream(Protocol):
    """Sound as it comes. ``read`` gives up to ``count`` samples ``(n,)``, none at the end; it may raise SourceGone."""

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
    knob: Knob

    def turn(self, gain_db: float) -> Knob:
        """Turn the preamp."""
        ...

    def open_take(self, purpose: str, *, seconds: float, repeat: int = 0) -> SoundStream:
        """Begin a take of that length."""
        ...

    def open_live(self) -> SoundStream:
        """Sound without end, for the live run."""
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


@dataclass(frozen=True)
class World:
    """What surrounds the program: a source by rig spec, and the listeners."""

    open_source: Callable[[str], TakeSource]
    knob_of: Callable[[str], Knob]
    placed: Callable[[str, Placement], str]
    default_spec: str
    make_call: Callable[[int], KeepingListener]
    make_recorder: Callable[[int], RecordingListener]
    open_browser: Callable[[int], PushedStream]
