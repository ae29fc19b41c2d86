"""A run keeps the pace of sound."""

from __future__ import annotations

import time
from dataclasses import dataclass

BLOCK_S = 0.01
# What is read so late is still whole, and the run is back in time within some blocks. A server
# beside a browser on a call is late by more than 60 ms every quarter of a minute.
PATIENCE_S = 0.2
# A page on another core cannot hold the run up; a machine that sleeps can.
_LATE_S = 0.25


@dataclass(frozen=True)
class Pacing:
    """How a run goes on: ``speed`` 1 for the pace of sound, more to be through sooner, None as fast
    as the source gives; in blocks of ``block_s``; ``urgent`` asks the system to run it before other
    programs; ``adapts``: blocks grow where gaps come, and shrink again where none do;
    ``brokered``: the desktop's broker is asked for such rights."""

    speed: float | None
    urgent: bool = False
    block_s: float = BLOCK_S
    adapts: bool = False
    brokered: bool = False


class Pace:
    """Waits until sound of so many samples would have gone by.

    ``speed``: 1 for the pace of sound, more to be through sooner, None for no pace at all.
    """

    def __init__(self, rate_hz: int, speed: float | None) -> None:
        self._per_second = None if speed is None else rate_hz * speed
        self._began: float | None = None
        self._frames = 0

    def keep(self, frames: int) -> bool:
        """Wait behind a block; True where it was so late that it made a gap."""
        if self._per_second is None:
            return False
        now = time.monotonic()
        if self._began is None:
            # What loads with the first block is not late for anybody.
            self._began = now - frames / self._per_second
        self._frames += frames
        wait = self._began + self._frames / self._per_second - now
        if wait < -_LATE_S:
            self._began -= wait
            return True
        if wait > 0:
            time.sleep(wait)
        return False
