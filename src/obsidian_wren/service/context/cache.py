"""The last few things computed, by key. Sounds are large, so they are held light, and only as many
as a budget allows."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from typing import Any

from cachetools import LRUCache, cached

from obsidian_wren.service.context.light import bytes_of, full, light


class Asked:
    """Who asked for the same thing, one after another: whoever asked before the last run of it
    began has its answer already."""

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
        """Whether something that began after this one was asked has ended; ask it where nothing
        runs."""
        with self._lock:
            return number <= self._seen


class Cache:
    """Answers by key, the least recently used going first: at most so many, or at most so many
    bytes of sound.

    One flight at a time: who asks for a key that another thread computes waits for its answer.
    Whether it was held or made makes no difference to what comes.
    """

    def __init__(
        self,
        most: int | None = None,
        *,
        most_bytes: int | None = None,
    ) -> None:
        self._held: LRUCache[Hashable, Any] = (
            LRUCache(most_bytes, bytes_of) if most_bytes is not None else LRUCache(most or 1)
        )
        self.most_bytes = most_bytes
        self._answer = cached(
            self._held, key=lambda key, _make: key, condition=threading.Condition()
        )(lambda _key, make: make())

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What is held under the key, made when it is not. What ``make`` raises is not held; the
        long arrays of what it gives are its own."""
        if self.most_bytes is None:
            return self._answer(key, make)
        made: list[Any] = []

        def made_light() -> Any:
            made.append(make())
            return light(made[0])

        held = self._answer(key, made_light)
        return made[0] if made else full(held)

    @property
    def bytes_held(self) -> int:
        """How much is held, in bytes of sound."""
        return sum(map(bytes_of, list(self._held.values())))

    def forget(self) -> None:
        """Let everything go."""
        self._held.clear()
