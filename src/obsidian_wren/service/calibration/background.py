"""What a change gives, worked out behind its answer: who asked, and the one thread that does it.

Nothing here computes: the work is handed in.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping

from obsidian_wren.service.context import Overtaken

# A key that is held down comes again sooner than this; what follows is worked out when it rests.
_REST_S = 0.05

Work = Callable[[Mapping[int, bool]], None]


class Background:
    """Rigs whose answers follow from a change that was kept just now, worked out by one thread of
    its own.

    Until :meth:`start` nothing runs behind: whoever changes something works it out at once.
    """

    def __init__(self) -> None:
        self._turn = threading.Condition()
        self._asked: dict[int, bool] = {}
        self._working = False
        self._thread: threading.Thread | None = None

    @property
    def runs(self) -> bool:
        """Whether there is a thread that works behind."""
        return self._thread is not None

    @property
    def waits(self) -> bool:
        """Whether something that was asked for is not there yet."""
        with self._turn:
            return bool(self._asked) or self._working

    def start(self, work: Work, done: Callable[[], None]) -> None:
        """Have ``work`` done behind from now on: it is given rigs by id, and for each whether its
        tone is fitted anew. What it leaves undone by raising :class:`Overtaken` is asked of it
        again with what is newer. ``done`` is told once nothing waits for it any more."""
        with self._turn:
            if self._thread is not None:
                return
            self._thread = threading.Thread(
                target=self._run, args=(work, done), name="background", daemon=True
            )
        self._thread.start()

    def stop(self) -> None:
        """Let the thread end after what it is doing."""
        with self._turn:
            thread, self._thread = self._thread, None
            self._asked.clear()
            self._turn.notify_all()
        if thread is not None:
            thread.join()

    def ask(self, rig_id: int, *, refit: bool) -> None:
        """Have a rig's answers worked out anew."""
        with self._turn:
            self._asked[rig_id] = self._asked.get(rig_id, False) or refit
            self._turn.notify_all()

    def go_on(self) -> None:
        """Raise Overtaken where something newer was asked for, or the end has come."""
        with self._turn:
            if self._asked or self._thread is None:
                raise Overtaken

    def wait(self, most_s: float) -> bool:
        """Until nothing is asked for any more; False where that takes longer."""
        with self._turn:
            return self._turn.wait_for(lambda: not self._asked and not self._working, most_s)

    def _run(self, work: Work, done: Callable[[], None]) -> None:
        while (rigs := self._next()) is not None:
            left: Mapping[int, bool] = {}
            try:
                work(rigs)
            except Overtaken:
                left = rigs
            with self._turn:
                for rig_id, refit in left.items():
                    self._asked[rig_id] = self._asked.get(rig_id, False) or refit
                self._working = False
                self._turn.notify_all()
            if not left:
                done()

    def _next(self) -> dict[int, bool] | None:
        """What to do next, once nobody has asked for a moment; None at the end."""
        with self._turn:
            while not self._asked and self._thread is not None:
                self._turn.wait()
            while self._thread is not None:
                before = dict(self._asked)
                if not self._turn.wait(_REST_S) and self._asked == before:
                    break
            if self._thread is None:
                return None
            rigs, self._asked = self._asked, {}
            self._working = True
            return rigs
