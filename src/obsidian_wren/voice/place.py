"""Where the socket of a voice is."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

# What fits into the address of a socket on every system.
_MOST_BYTES = 100


@contextmanager
def address(path: Path) -> Iterator[str]:
    """A socket's path as the system takes it, however long it is.

    Source: ``unix(7)`` for the length; ``/proc/self/fd`` leads to a folder that is open.
    """
    if len(os.fsencode(path)) <= _MOST_BYTES:
        yield str(path)
        return
    folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        yield f"/proc/self/fd/{folder}/{path.name}"
    finally:
        os.close(folder)
