"""The folder of pipes and sockets that nobody else may come into."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _


def private_folder() -> Path:
    """Where the pipes lie: the server makes them open to everybody, so nobody else may come in.

    Raises NoSoundServer where that cannot be had.
    """
    session = os.environ.get("XDG_RUNTIME_DIR")
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    folder = Path(session or state) / "obsidian-wren"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        held = folder.lstat()
        # In a folder that everybody may write to, somebody else may have been first.
        ours = stat.S_ISDIR(held.st_mode) and held.st_uid == os.geteuid()
        if ours and stat.S_IMODE(held.st_mode) != 0o700:
            folder.chmod(0o700)
            ours = stat.S_IMODE(folder.lstat().st_mode) == 0o700
    except OSError as error:
        raise _not_private(folder) from error
    if not ours:
        raise _not_private(folder)
    return folder


def _not_private(folder: Path) -> Told:
    # With it come numbers, which take longer to load than this.
    from obsidian_wren.ports.system_sound import NoSoundServer

    return NoSoundServer(
        "not-private",
        _(
            "{folder} is not private to you, so others could read your voice. Remove it, or set"
            " XDG_RUNTIME_DIR to a private folder.",
            folder=folder,
        ),
    )
