"""The last few things computed, by key. Sounds are large, so only a few are held."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any

from cachetools import LRUCache, cached


class Remembered:
    """Answers by key, the least recently used going first.

    One flight at a time: who asks for a key that another thread computes waits for its answer.
    """

    def __init__(self, most: int) -> None:
        self._held: LRUCache[Hashable, Any] = LRUCache(most)
        self._answer = cached(
            self._held, key=lambda key, _make: key, condition=threading.Condition()
        )(lambda _key, make: make())

    def get(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """What is held under the key, made when it is not. What ``make`` raises is not held."""
        return self._answer(key, make)
