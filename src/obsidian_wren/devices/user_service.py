"""A service of the person's own, which the desktop starts at login.

Source: ``systemd.unit(5)``, ``systemd.service(5)``, “Command lines”; the link that ``systemctl
--user enable`` makes.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.ports.login import LoginRefused

NAME = "obsidian-wren-page.service"
_OURS = "Written by Obsidian Wren, which also takes it away: Rig, Sound settings."
_SYSTEMD = Path("/run/systemd/system")


class UserService:
    """The service that runs a command; ``folder``: where the person's own services lie, the usual
    place where none is named."""

    def __init__(self, command: Sequence[str], folder: Path | None = None) -> None:
        config = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
        self._folder = folder or config / "systemd" / "user"
        self._command = tuple(command)
        self.path = self._folder / NAME
        self._link = self._folder / "default.target.wants" / NAME

    @property
    def is_on(self) -> bool:
        """Whether it is started at login."""
        return self._link.exists()

    @property
    def why_not(self) -> str | None:
        """Why this computer cannot."""
        if _SYSTEMD.is_dir():
            return None
        return _(
            "This computer starts no services of a person (systemd does not run). Start the program"
            " with the desktop’s own settings instead."
        )

    def put(self, on: bool) -> None:
        """Write the service and the link, or take both away. Raises LoginRefused."""
        if self.path.exists() and not self._is_ours():
            raise LoginRefused(
                "not-ours",
                _(
                    "{path} is there and was not written by this program. Move it away first.",
                    path=self.path,
                ),
            )
        try:
            if on:
                self._link.parent.mkdir(parents=True, exist_ok=True)
                self.path.write_text(self._text(), "utf-8")
                self._link.unlink(missing_ok=True)
                self._link.symlink_to(self.path)
            else:
                self._link.unlink(missing_ok=True)
                self.path.unlink(missing_ok=True)
        except OSError as error:
            raise LoginRefused(
                "not-writable",
                _(
                    "{path} cannot be written ({strerror}). Change its permissions, then try"
                    " again.",
                    path=self.path,
                    strerror=error.strerror,
                ),
            ) from error

    def _is_ours(self) -> bool:
        try:
            return self.path.read_text("utf-8").startswith(f"# {_OURS}")
        except (OSError, ValueError):
            return False

    def _text(self) -> str:
        command = " ".join(map(_quoted, self._command))
        return "\n".join(
            (
                f"# {_OURS}",
                "[Unit]",
                "Description=Obsidian Wren",
                "After=pipewire-pulse.service pulseaudio.service",
                "",
                "[Service]",
                f"ExecStart={command}",
                # Who listens goes on hearing while the page's program starts again.
                "KillMode=process",
                "Restart=on-failure",
                "RestartSec=2",
                "LimitRTPRIO=10",
                "",
                "[Install]",
                "WantedBy=default.target",
                "",
            )
        )


def _quoted(word: str) -> str:
    escaped = word.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'
