"""Files of which no more is read than they can rightly hold, whatever they claim to be: a device
has no size, and a pipe no end."""

from __future__ import annotations

from pathlib import Path


def read_bounded(path: Path, most: int) -> bytes | None:
    """What a file holds, None where that is more than so many bytes. Raises OSError."""
    with path.open("rb") as file:
        raw = file.read(most + 1)
    return raw if len(raw) <= most else None


def read_text_bounded(path: Path, most: int) -> str | None:
    """The same as text; bytes that are none are marked as such."""
    raw = read_bounded(path, most)
    return None if raw is None else raw.decode("utf-8-sig", errors="replace")
