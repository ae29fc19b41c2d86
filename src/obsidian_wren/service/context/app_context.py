"""The running program without its web: the folder, the database, the world around, and who is told
of changes.

It names no package above it. Each package that keeps something while the program runs owns a class
of its own for it, and asks for the one instance with :meth:`AppContext.own`.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar, cast

from obsidian_wren.ports.world import World
from obsidian_wren.service.context.bus import Bus
from obsidian_wren.service.context.cache import Cache
from obsidian_wren.service.context.worker import Worker
from obsidian_wren.store.backup import Copier
from obsidian_wren.store.database import Sessions
from obsidian_wren.store.folder import DataFolder

Pace = Literal["real", "fast"]
State = TypeVar("State")
Event = TypeVar("Event")
Answer = TypeVar("Answer")
# A minute of sound at 48 kHz is 12 MB.
_SOUNDS_BYTES = 120_000_000


@dataclass(frozen=True)
class FolderFinding:
    """Something in the data folder that is not as it should be: a stable code, what it is, and what
    to do."""

    code: str
    sentence: str
    action: str


@dataclass
class AppContext:
    """The running program, without its web."""

    folder: DataFolder
    sessions: Sessions
    world: World
    pace: Pace = "real"
    bus: Bus = field(default_factory=Bus)
    copier: Copier | None = None
    findings: list[FolderFinding] = field(default_factory=list)
    message: str | None = None
    sounds: Cache = field(default_factory=lambda: Cache(most_bytes=_SOUNDS_BYTES))
    readings: Cache = field(default_factory=lambda: Cache(32))
    answers: Cache = field(default_factory=lambda: Cache(64))
    # Goes on after a restart, unless a thousand things changed in every second of the run before.
    revision: int = field(default_factory=lambda: time.time_ns() // 1_000_000)
    _counting: threading.Lock = field(default_factory=threading.Lock)
    _states: dict[type[Any], Any] = field(default_factory=dict)
    _owning: threading.RLock = field(default_factory=threading.RLock)
    _followers: dict[type[Any], list[Callable[[Any], None]]] = field(default_factory=dict)
    _enders: list[Callable[[], None]] = field(default_factory=list)
    # What computes; None where that is done at once and here.
    worker: Worker | None = None

    @property
    def lock(self) -> threading.RLock:
        """One after another: who changes what is kept, or what runs."""
        return self.sessions.lock

    def own(self, kind: type[State], make: Callable[[], State] | None = None) -> State:
        """The one instance of what a package keeps while the program runs; made when it is asked
        for first."""
        found = self._states.get(kind)
        if found is None:
            with self._owning:
                found = self._states.setdefault(kind, (make or kind)())
        return cast("State", found)

    def follow(self, event: type[Event], follower: Callable[[Event], None]) -> None:
        """Be told of every event of a kind, by whoever announces it and in its thread."""
        self._followers.setdefault(event, []).append(follower)

    def announce(self, event: object) -> None:
        """Tell those who follow this kind of event; what one of them raises reaches the caller."""
        for follower in self._followers.get(type(event), ()):
            follower(event)

    def work(
        self,
        job: Callable[..., Answer],
        *arguments: Any,
        go_on: Callable[[], None] | None = None,
    ) -> Answer:
        """What a function of a service answers, computed in the worker where there is one; its
        first argument is an app. Not within a transaction. ``go_on`` is called while it is
        waited for, and raises where nobody waits any more."""
        if self.worker is None:
            return job(self, *arguments)
        return cast("Answer", self.worker.work(job, arguments, go_on))

    def go_on(self) -> None:
        """Raises where nobody waits any more for what is being computed here."""

    def find(self, code: str, sentence: str, action: str) -> None:
        """Keep a finding, once, for the page to show."""
        found = FolderFinding(code, sentence, action)
        if found not in self.findings:
            self.findings.append(found)

    def at_end(self, end: Callable[[], None]) -> None:
        """Have something let go when the program is about to end."""
        self._enders.append(end)

    def let_go(self) -> None:
        """The program is about to end: open streams of events and of sound would hold it up."""
        self.bus.end()
        for end in self._enders:
            end()

    def changed(self) -> None:
        """Tell the pages that what they show is old, if it is older than this."""
        with self._counting:
            self.revision += 1
            self.bus.tell("changed", {"revision": self.revision})
