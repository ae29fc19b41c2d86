"""The last few things computed, by key. Sounds are large, so they are held light, and only as many
as a budget allows."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any

from cachetools import LRUCache, cached

from obsidian_wren.service.context.light import bytes_of, full, light


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
        """What is held under the key, made when it is not. What ``make`` raises is not held."""
        if self.most_bytes is None:
            return self._answer(key, make)
        return full(self._answer(key, lambda: light(make())))

    @property
    def bytes_held(self) -> int:
        """How much is held, in bytes of sound."""
        return sum(map(bytes_of, list(self._held.values())))

    def forget(self) -> None:
        """Let everything go."""
        self._held.clear()
