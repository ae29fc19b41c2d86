"""The process of a voice begins: loaded alone, so that it begins before the rest is."""

from __future__ import annotations

import subprocess
from collections.abc import Sequence

# What the process says once it can be asked.
READY = "ready"


def begin(command: Sequence[str]) -> subprocess.Popen[bytes]:
    """Start a voice by the command of its process; it is asked once it said :data:`READY`."""
    return subprocess.Popen(
        command,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        # What ends a program in front does not end it: it is asked to.
        start_new_session=True,
    )
