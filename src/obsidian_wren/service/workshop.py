"""What the services share while the program runs: the folder, the database, the world around, and who is told of changes."""

from __future__ import annotations

import queue
import threading
import time
from collections import OrderedDict, deque
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service.ports import Program, PushedStream, TakeSource, World
from obsidian_wren.store.backup import Copier
from obsidian_wren.store.database import Sessions
from obsidian_wren.store.folder import DataFolder

if TYPE_CHECKING:
    from obsidian_wren.core.mix.returns import ReturnPlan
    from obsidian_wren.service.clips import Pads
    from obsidian_wren.service.ears import Ears
    from obsidian_wren.service.recorder import Recorder
    from obsidian_wren.service.rehearsal import BlockCost
    from obsidian_wren.service.run import LiveRun
    from obsidian_wren.service.taking import RunningTake
    from obsidian_wren.service.watching import Watch

Pace = Literal["real", "fast"]
END = "end"
_MOST_WAITING = 200
# Each stream holds one of the server's threads; all pages of one browser share one stream.
_MOST_STREAMS = 12
_MOST_ENDED = 32


@dataclass(frozen=True)
class Finding:
    """Something in the data folder that is not as it should be: a stable code, what it is, and what to do."""

    code: str
    sentence: str
    action: str


class Bus:
    """Tells every open page what happens. A page that does not read loses its oldest messages, never holds up the rest.

    There are places for a dozen streams. One more takes the place of the oldest: a stream whose page is gone is noticed only when something
    is written to it, and a page that lost its place comes back by itself.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._listeners: list[queue.Queue[tuple[str, dict[str, Any]]]] = []

    def listen(self) -> queue.Queue[tuple[str, dict[str, Any]]]:
        """A queue that receives ``(kind, body)``; the oldest of too many is told to end."""
        listener: queue.Queue[tuple[str, dict[str, Any]]] = queue.Queue(_MOST_WAITING)
        with self._lock:
            self._listeners.append(listener)
            while len(self._listeners) > _MOST_STREAMS:
                self._put(self._listeners.pop(0), END, {})
        return listener

    def leave(self, listener: queue.Queue[tuple[str, dict[str, Any]]]) -> None:
        """Stop receiving."""
        with self._lock:
            if listener in self._listeners:
                self._listeners.remove(listener)

    def end(self) -> None:
        """Let every listener go: the program is about to end."""
        self.tell(END)

    def tell(self, kind: str, body: dict[str, Any] | None = None) -> None:
        """Send to all."""
        with self._lock:
            for listener in self._listeners:
                self._put(listener, kind, body or {})

    @property
    def places_taken(self) -> int:
        """How many streams listen."""
        with self._lock:
            return len(self._listeners)

    @staticmethod
    def _put(listener: queue.Queue[tuple[str, dict[str, Any]]], kind: str, body: dict[str, Any]) -> None:
        while True:
            try:
                listener.put_nowait((kind, body))
                return
            except queue.Full:
                # Whoever reads may have emptied it meanwhile.
                with suppress(queue.Empty):
                    listener.get_nowait()


class Asked:
    """Who asked for the same thing, one after another: whoever asked before the last run of it began has its answer already."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._asked = 0
        self._seen = 0

    def ask(self) -> int:
        """Ask; gives the number of this one."""
        with self._lock:
            self._asked += 1
            return self._asked

    @contextmanager
    def answering(self) -> Iterator[None]:
        """Whoever asked before this begins is answered when it ends well."""
        with self._lock:
            asked = self._asked
        yield
        with self._lock:
            self._seen = max(self._seen, asked)

    def is_answered(self, number: int) -> bool:
        """Whether something that began after this one was asked has ended; ask it where nothing runs."""
        with self._lock:
            return number <= self._seen


class Recent:
    """The last few things computed from takes, by key; takes are large, so only a few are held."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[Any, Any] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Any, make: Any) -> Any:
        """What is held under the key, made when it is not."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        made = make()
        with self._lock:
            self._held[key] = made
            while len(self._held) > self._most:
                self._held.popitem(last=False)
        return made


@dataclass
class Workshop:
    """The running program, without its web."""

    folder: DataFolder
    sessions: Sessions
    world: World
    pace: Pace = "real"
    bus: Bus = field(default_factory=Bus)
    take: RunningTake | None = None
    # Ids of takes that ended: pieces that come after it are dropped without a word.
    ended_takes: deque[str] = field(default_factory=lambda: deque(maxlen=_MOST_ENDED))
    copier: Copier | None = None
    asked_to_derive: Asked = field(default_factory=Asked)
    asked_to_fit: Asked = field(default_factory=Asked)
    findings: list[Finding] = field(default_factory=list)
    run: LiveRun | None = None
    sounds: Recent = field(default_factory=lambda: Recent(4))
    readings: Recent = field(default_factory=lambda: Recent(32))
    grounds: Recent = field(default_factory=lambda: Recent(8))
    answers: Recent = field(default_factory=lambda: Recent(64))
    stages: Recent = field(default_factory=lambda: Recent(2))
    waveforms: Recent = field(default_factory=lambda: Recent(48))
    sources: dict[str, TakeSource] = field(default_factory=dict)
    programs: dict[str, Program] = field(default_factory=dict)
    since: str | None = None
    recorder: Recorder | None = None
    recording_session: str | None = None
    recording_failed: str | None = None
    block_costs: tuple[BlockCost, ...] = ()
    return_plans: dict[str, ReturnPlan] = field(default_factory=dict)
    pushed: PushedStream | None = None
    watch: Watch | None = None
    ears: Ears | None = None
    watched: PushedStream | None = None
    message: str | None = None
    # Goes on after a restart, unless a thousand things changed in every second of the run before.
    revision: int = field(default_factory=lambda: time.time_ns() // 1_000_000)
    _counting: threading.Lock = field(default_factory=threading.Lock)
    _pads: Pads | None = None

    @property
    def lock(self) -> threading.RLock:
        """One after another: who changes what is kept, or what runs."""
        return self.sessions.lock

    def find(self, code: str, sentence: str, action: str) -> None:
        """Keep a finding, once, for the page to show."""
        found = Finding(code, sentence, action)
        if found not in self.findings:
            self.findings.append(found)

    def hear_aside(self, block: Samples) -> None:
        """Raw samples ``(n,)`` of what is live, for the headphones if they are on."""
        if self.ears is not None:
            self.ears.hear(block)

    @property
    def pads(self) -> Pads:
        """The clips that sound."""
        if self._pads is None:
            from obsidian_wren.service.clips import Pads

            self._pads = Pads()
        return self._pads

    def hear_tracks(self, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> None:
        """A block of every signal and mix of what is live, for the recorder if it runs."""
        if self.recorder is not None:
            self.recorder.tap(signals, mixed)

    def let_go(self) -> None:
        """The program is about to end: open streams of events and of sound would hold it up."""
        self.bus.end()
        if self.ears is not None:
            self.ears.close()

    def changed(self) -> None:
        """Tell the pages that what they show is old, if it is older than this."""
        with self._counting:
            self.revision += 1
            self.bus.tell("changed", {"revision": self.revision})
