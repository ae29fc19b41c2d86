"""The time as it is kept in rows."""

from __future__ import annotations

from datetime import UTC, datetime


def now() -> str:
    """This moment, UTC, as it is kept."""
    return datetime.now(UTC).isoformat(timespec="seconds")
