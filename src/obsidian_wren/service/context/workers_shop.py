"""The app of a worker: on a copy of what is kept, with what it keeps and tells noted down."""

from __future__ import annotations

import gc
import logging
import os
import pickle
import signal
import sqlite3
import sys
import tempfile
import threading
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from multiprocessing.connection import Connection
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from obsidian_wren.core.told import Told
from obsidian_wren.ports.system_sound import Surroundings
from obsidian_wren.ports.world import World
from obsidian_wren.service.context.app_context import AppContext
from obsidian_wren.service.context.bus import Bus
from obsidian_wren.service.context.worker import Job, JobResult, Overtaken
from obsidian_wren.service.heap import give_back
from obsidian_wren.store.database import told_error
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.parts import COPY_PREFIX
from obsidian_wren.store.replay import CopyOfDatabase

_LOG = logging.getLogger(__name__)
_NICER = 5
# What was done sooner left next to nothing to be given back.
_LONG_S = 0.3


class _Line(Bus):
    """A bus whose every word goes to the program that asks."""

    def __init__(self, line: Connection) -> None:
        super().__init__()
        self._line, self._one_at_a_time = line, threading.Lock()

    def tell(self, kind: str, body: dict[str, Any] | None = None) -> None:
        """Send to whoever asks."""
        self.send((kind, body or {}))

    def send(self, what: Any) -> None:
        """Send anything."""
        with self._one_at_a_time:
            self._line.send(what)


class WorkersShop(AppContext):
    """An app over a copy. ``seen`` puts in place what was last seen of this computer."""

    def __init__(
        self,
        folder: DataFolder,
        world: World,
        line: Connection,
        see: Callable[[Surroundings], None] = lambda _: None,
    ) -> None:
        with tempfile.NamedTemporaryFile(
            dir=folder.parts, prefix=COPY_PREFIX, suffix=".db", delete=False
        ) as file:
            self._copy = CopyOfDatabase(folder.database, Path(file.name))
        bus = _Line(line)
        super().__init__(folder, self._copy.sessions, world, bus=bus)
        self.send = bus.send
        self._see = see
        self._job = self._given_up = 0
        self._announced: list[object] = []
        self._has_changed = False

    def announce(self, event: object) -> None:
        """Note it down: it is announced where what was kept is kept."""
        self._announced.append(event)

    def changed(self) -> None:
        """Note it down."""
        self._has_changed = True

    def go_on(self) -> None:
        """Raise Overtaken where nobody waits for this job any more."""
        if self._given_up >= self._job:
            raise Overtaken

    def give_up(self, job: int) -> None:
        """Nobody waits any more for this job, nor for one before it."""
        self._given_up = job

    def done(self, asked: Job) -> JobResult:
        """Do a job. What it raises comes as its error."""
        self._job, began_s = asked.number, time.monotonic()
        self._announced.clear()
        self.findings.clear()
        self._has_changed = False
        if asked.seen is not None:
            self._see(asked.seen)
        answer: Any = None
        error: BaseException | None = None
        try:
            self._copy.fill()
            answer = asked.job(self, *asked.arguments)
        except (Told, Overtaken) as told:
            error = told
        except sqlite3.Error as failed:
            error = told_error(failed)
        except Exception as raised:
            error = _that_travels(raised)
        if time.monotonic() - began_s > _LONG_S:
            give_back()
        return JobResult(
            asked.number,
            answer,
            error,
            self._copy.number,
            tuple(self._copy.kept),
            tuple(self._announced),
            self._has_changed,
            tuple(self.findings),
        )

    def leave(self) -> None:
        """Nobody waits any more for anything."""
        self._given_up = sys.maxsize

    def close(self) -> None:
        """Let the copy go."""
        self._copy.close()


def _that_travels(raised: Exception) -> BaseException:
    """An error as another process can raise it, with where it came from."""
    try:
        pickle.loads(pickle.dumps(raised))
    except Exception:
        return RuntimeError("".join(traceback.format_exception(raised)))
    raised.add_note("".join(traceback.format_exception(raised)))
    return raised


def work(shop: WorkersShop, line: Connection, end: Callable[[], None] = lambda: None) -> None:
    """Do the jobs that come over a line, one after another, until that is the end or nobody is
    there any more; then ``end`` is called, whatever is being done."""
    jobs: SimpleQueue[Job | None] = SimpleQueue()

    def listen() -> None:
        _listen(shop, line, jobs)
        line.close()
        shop.close()
        end()

    listener = threading.Thread(target=listen, daemon=True)
    listener.start()
    while (job := jobs.get()) is not None:
        done = shop.done(job)
        try:
            shop.send(done)
        except (EOFError, OSError):
            break
        except Exception as error:
            # What cannot be sent is no answer.
            shop.send(replace(done, answer=None, error=_that_travels(error)))
    listener.join()


def _listen(shop: WorkersShop, line: Connection, jobs: SimpleQueue[Job | None]) -> None:
    with suppress(EOFError, OSError):
        while (message := line.recv()) is not None:
            if isinstance(message, Job):
                jobs.put(message)
            elif isinstance(message, int):
                shop.give_up(message)
            else:
                message(shop)
    shop.leave()
    jobs.put(None)


def settle_in() -> None:
    """Let this process be the worker's: the page, and above all the voice, come first."""
    # Ctrl-C is for the program that asks; this one ends with it.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    os.nice(_NICER)
    gc.freeze()
