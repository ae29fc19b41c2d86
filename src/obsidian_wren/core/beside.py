"""Where work may be done beside other work: the core says where, whoever runs it says how.

Source: practice: a computation that knows no threads is the same with and without them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

# Gives what it is given, in its order, and may make the next ones meanwhile.
Beside = Callable[[Iterable[Any]], Iterator[Any]]
