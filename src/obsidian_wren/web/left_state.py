"""The state as the program left it: what the page shows while the program loads again.

It is kept once nothing runs any more and the database is closed, for the next start alone. It holds
as long as nothing in the folder changed since and the same version starts in the same surroundings;
once the program is loaded its own answers go.
"""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

NAME = "left-state.json"
# What a state is read from: the database, and the folders whose files it names.
_READ_FROM = ("wren.db", "wren.db-wal", "takes", "parts", "recordings")


class LeftState:
    """The state in a data folder, for one version of the program in one kind of surroundings."""

    def __init__(self, folder: Path, *, version: str, around: str) -> None:
        self._folder, self._path = folder, folder / NAME
        self._version, self._around = version, around

    def keep(self, state: str) -> None:
        """Keep a state, JSON. Raises OSError where the disk does not take it."""
        whole = self._path.with_suffix(".part")
        whole.write_text(json.dumps(self._mark()) + "\n" + state, encoding="utf-8")
        whole.replace(self._path)

    def read(self) -> bytes | None:
        """The state that was left, JSON; None where there is none, or something changed since."""
        try:
            mark, _, state = self._path.read_bytes().partition(b"\n")
            return state if json.loads(mark) == self._mark() else None
        except (OSError, ValueError):
            return None

    def forget(self) -> None:
        """A program runs: from here on only what it leaves itself is of use."""
        with suppress(OSError):
            self._path.unlink(missing_ok=True)

    def _mark(self) -> dict[str, object]:
        seen: dict[str, object] = {"version": self._version, "around": self._around}
        for name in _READ_FROM:
            with suppress(FileNotFoundError):
                stat = (self._folder / name).stat()
                seen[name] = [stat.st_mtime_ns, stat.st_size]
        return seen
