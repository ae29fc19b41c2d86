"""Being started when the person logs in."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from obsidian_wren.core.told import Told


class LoginRefused(Told):
    """It was not set; says what to do."""


class LoginStart(Protocol):
    """Whether the program is started at login, by which file, and why that cannot be chosen
    here, None where it can."""

    path: Path

    @property
    def is_on(self) -> bool:
        """Whether it is."""
        ...

    @property
    def why_not(self) -> str | None:
        """Why this computer cannot."""
        ...

    def put(self, on: bool) -> None:
        """Write the file, or take it away. Raises LoginRefused."""
        ...
