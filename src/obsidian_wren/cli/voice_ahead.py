"""``live``: its voice begins before anything else is loaded, since each loads for a third of a
second."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from obsidian_wren.cli.own_system import voice_command
from obsidian_wren.devices.sound_server.private import private_folder
from obsidian_wren.voice.beginning import begin


@contextmanager
def begun_voice() -> Iterator[tuple[Path, subprocess.Popen[bytes]]]:
    """Where its socket will be, and its process, which ends where the command cannot go on."""
    sweep(private_folder())
    path = private_folder() / f"live-{os.getpid()}.socket"
    process = begin([*voice_command(), str(path)])
    try:
        yield path, process
    except BaseException:
        process.terminate()
        raise


def sweep(folder: Path) -> None:
    """Sockets of those that were killed go."""
    for path in folder.glob("live-*.socket"):
        owner = path.stem.removeprefix("live-")
        try:
            os.kill(int(owner), 0)
        except (ValueError, ProcessLookupError):
            path.unlink(missing_ok=True)
        except PermissionError:
            pass
