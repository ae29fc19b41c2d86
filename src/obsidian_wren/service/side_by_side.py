"""Work in a line, where what comes next is made in a thread of its own while the last is worked
with; and work at once, in two threads."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor, wait
from contextlib import contextmanager
from queue import Empty, Full, Queue
from typing import Any, NamedTuple

# Made and not yet asked for.
_AHEAD = 2
_LOOK_S = 0.1


@contextmanager
def at_once() -> Iterator[Callable[[Sequence[Callable[[], None]]], None]]:
    """Gives what does several steps at once, the first by whoever asks; it comes back when all are
    done, and raises what one of them raised."""
    with ThreadPoolExecutor(1) as others:

        def together(steps: Sequence[Callable[[], None]]) -> None:
            begun = [others.submit(step) for step in steps[1:]]
            try:
                steps[0]()
            finally:
                wait(begun)
            for each in begun:
                each.result()

        yield together


class _Made(NamedTuple):
    each: Any = None
    ended: bool = False
    error: BaseException | None = None


def beside(given: Iterable[Any]) -> Iterator[Any]:
    """What is given, in its order, a few made ahead. What its making raises is raised here; who
    goes no further ends it."""
    made: Queue[_Made] = Queue(_AHEAD)
    enough = threading.Event()
    thread = threading.Thread(target=_make, args=(given, made, enough), daemon=True)
    thread.start()
    try:
        while not (found := made.get()).ended:
            yield found.each
        if found.error is not None:
            raise found.error
    finally:
        enough.set()
        while thread.is_alive():
            _empty(made)
            thread.join(_LOOK_S)


def _make(given: Iterable[Any], made: Queue[_Made], enough: threading.Event) -> None:
    last = _Made(ended=True)
    try:
        for each in given:
            if not _hand_over(_Made(each), made, enough):
                break
    except BaseException as error:  # whatever it is, it belongs to who asked
        last = _Made(ended=True, error=error)
    # What is given ends here, and what it is made of with it, before who asked goes on.
    del given
    _hand_over(last, made, enough)


def _hand_over(one: _Made, made: Queue[_Made], enough: threading.Event) -> bool:
    while not enough.is_set():
        try:
            made.put(one, timeout=_LOOK_S)
        except Full:
            continue
        return True
    return False


def _empty(made: Queue[_Made]) -> None:
    try:
        while True:
            made.get_nowait()
    except Empty:
        return
