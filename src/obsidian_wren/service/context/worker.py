"""What computes runs in a process of its own, the worker: begun when something is to be computed,
gone after a minute of rest, and its memory with it.

A job is a function of a service, given an app as its first argument. In the worker that
app stands on a copy of what is kept: the job reads, computes and keeps as it would here, and
what it kept is kept here once it has ended, where nothing else was kept meanwhile. Nobody waits for
a lock while something is computed.
"""

from __future__ import annotations

import logging
import multiprocessing
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future, TimeoutError
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import TYPE_CHECKING, Any

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.replay import Statement, replay, transactions

if TYPE_CHECKING:
    from obsidian_wren.service.context.app_context import AppContext, FolderFinding

_LOG = logging.getLogger(__name__)
_REST_S = 60.0
# How often it is looked whether anybody still waits for what is computed.
_LOOK_S = 0.05
# Something else may be kept meanwhile; then it is computed again. Who keeps something all the time
# waits once.
_MOST_TRIES = 3


_ENDED = _(
    "The worker ended before it was done, perhaps for lack of memory. Close other programs,"
    " then try again. Nothing that was saved is lost."
)


class Overtaken(Exception):
    """Something newer was asked for, so this is not worth finishing."""


@dataclass(frozen=True)
class Job:
    """What is to be done, by number; ``seen``: what was last seen of this computer."""

    number: int
    job: Callable[..., Any]
    arguments: tuple[Any, ...]
    seen: Any


@dataclass(frozen=True)
class JobResult:
    """What came of a job, by its number: its answer or its error; what it kept and announced, and
    on how many ``transactions`` it stood; whether the pages are to look again."""

    number: int
    answer: Any
    error: BaseException | None
    transactions: int
    kept: tuple[Statement, ...]
    announced: tuple[object, ...]
    changed: bool
    found: tuple[FolderFinding, ...]


class Worker:
    """The worker of an app. ``begin`` begins its process at the other end of a line, and gives
    what waits for its end; it ends when nobody asked it for ``rest_s``."""

    def __init__(
        self,
        app: AppContext,
        begin: Callable[[Connection], Callable[[], None]],
        *,
        rest_s: float = _REST_S,
    ) -> None:
        self._app, self._begin, self._rest_s = app, begin, rest_s
        self._turn = threading.RLock()
        self._line: Connection | None = None
        self._asked: dict[int, Future[JobResult]] = {}
        self._number = 0
        self._asked_s = 0.0
        self._over = False

    @property
    def runs(self) -> bool:
        """Whether there is a process."""
        return self._line is not None

    def get_ready(self) -> None:
        """Begin the process where there is none: somebody is about to want something computed.
        Waits for nothing."""
        with self._turn:
            self._asked_s = time.monotonic()
            if self._line is None and not self._over:
                self._start()

    def work(
        self, job: Callable[..., Any], arguments: tuple[Any, ...], go_on: Callable[[], None] | None
    ) -> Any:
        """The job's answer; what it kept is kept. Raises what the job raises, or ``go_on`` where
        nobody waits any more."""
        for _try in range(_MOST_TRIES - 1):
            done = self._done(job, arguments, go_on)
            if self._take_over(done):
                return _answer(done)
        with self._app.lock:
            done = self._done(job, arguments, go_on)
            self._take_over(done)
        return _answer(done)

    def say(self, what: Callable[[AppContext], None]) -> None:
        """Have something called beside what is computed, in the process where there is one."""
        with self._turn:
            if self._line is not None:
                self._send(self._line, what)

    def end(self) -> None:
        """Let the process go, whatever it does."""
        with self._turn:
            if self._line is not None:
                self._send(self._line, None)

    def end_for_good(self) -> None:
        """The same, and nobody begins another: who waits is refused."""
        self._over = True
        self.end()

    def _done(
        self, job: Callable[..., Any], arguments: tuple[Any, ...], go_on: Callable[[], None] | None
    ) -> JobResult:
        for last in (False, True):
            asked, number = self._ask(job, arguments)
            try:
                return self._followed(asked, number, go_on)
            except EOFError as error:
                if not self._over:
                    _LOG.warning("The worker ended")
                if last or self._over:
                    raise Refused("worker", _ENDED) from error
        raise AssertionError

    def _ask(
        self, job: Callable[..., Any], arguments: tuple[Any, ...]
    ) -> tuple[Future[JobResult], int]:
        system = self._app.world.system
        with self._turn:
            if self._over:
                raise Refused("worker", _ENDED)
            self.get_ready()
            assert self._line is not None
            self._number += 1
            asked = self._asked[self._number] = Future()
            seen = None if system is None else system.seen
            try:
                self._send(self._line, Job(self._number, job, arguments, seen))
            except Exception:
                # What cannot be sent is asked of nobody.
                del self._asked[self._number]
                raise
            return asked, self._number

    def _followed(
        self, asked: Future[JobResult], number: int, go_on: Callable[[], None] | None
    ) -> JobResult:
        while True:
            try:
                return asked.result(None if go_on is None else _LOOK_S)
            except TimeoutError:
                assert go_on is not None
                try:
                    go_on()
                except BaseException:
                    with self._turn:
                        if self._line is not None:
                            self._send(self._line, number)
                    raise

    def _start(self) -> None:
        self._line, theirs = multiprocessing.Pipe()
        wait = self._begin(theirs)
        threading.Thread(
            target=self._hear, args=(self._line, wait), name="worker's news", daemon=True
        ).start()
        self._look_again(self._rest_s)

    def _send(self, line: Connection, what: Any) -> None:
        # Where nobody is there any more, whoever hears the line knows it.
        with suppress(OSError):
            line.send(what)

    def _hear(self, line: Connection, wait: Callable[[], None]) -> None:
        try:
            while True:
                message = line.recv()
                if isinstance(message, JobResult):
                    with self._turn:
                        self._asked_s = time.monotonic()
                        asked = self._asked.pop(message.number)
                    asked.set_result(message)
                else:
                    self._app.bus.tell(*message)
        except (EOFError, OSError):
            pass
        except Exception:
            # Nobody may wait for what cannot be understood.
            _LOG.exception("What the worker said cannot be understood")
        line.close()
        with self._turn:
            self._line = None
            left, self._asked = self._asked, {}
        for asked in left.values():
            asked.set_exception(EOFError())
        wait()

    def _look_again(self, after_s: float) -> None:
        timer = threading.Timer(after_s, self._end_rested, (self._line,))
        timer.daemon = True
        timer.start()

    def _end_rested(self, line: Connection) -> None:
        with self._turn:
            if self._line is not line:
                return
            rested_s = 0.0 if self._asked else time.monotonic() - self._asked_s
            if rested_s < self._rest_s:
                return self._look_again(self._rest_s - rested_s)
            self.end()

    def _take_over(self, done: JobResult) -> bool:
        """Keep what was kept, and let everyone know; False where something else was kept
        meanwhile."""
        for found in done.found:
            self._app.find(found.code, found.sentence, found.action)
        if done.kept or done.announced:
            with self._app.sessions.begin() as session:
                if transactions(session) != done.transactions:
                    return False
                replay(session, done.kept)
                for event in done.announced:
                    self._app.announce(event)
        if done.changed:
            self._app.changed()
        return True


def _answer(done: JobResult) -> Any:
    if done.error is not None:
        raise done.error
    return done.answer
