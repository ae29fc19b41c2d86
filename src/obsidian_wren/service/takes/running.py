"""The take in progress: its part, its level, its state."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import cast

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.take_length import why_ended
from obsidian_wren.core.measure import levels
from obsidian_wren.core.measure.live import BlockMeter, Frame
from obsidian_wren.core.measure.steadiness import FRAME_S, Steadiness, frames_of, how_steady
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.takes.progress import ProgressView, SteadyView
from obsidian_wren.service.words import Purpose, Source
from obsidian_wren.store import parts

_OVERRUN_S = 1.0


@dataclass
class RunningTake:
    """The take in progress."""

    part: parts.Part
    seconds: float
    started: float = field(default_factory=time.monotonic)
    told: float = 0.0
    last_piece: float = field(default_factory=time.monotonic)
    next_piece: int = 0
    level_dbfs: float | None = None
    peak_dbfs: float | None = None
    # recording, then measuring, then over; who ends it takes it from the first to the second, once.
    state: str = "recording"
    lock: threading.Lock = field(default_factory=threading.Lock)
    over: threading.Event = field(default_factory=threading.Event)
    until_steady: bool = False
    steady: Steadiness | None = None
    ended: str | None = None
    stop: threading.Event = field(default_factory=threading.Event)
    frames: list[Frame] = field(default_factory=list)
    loose: Samples = field(default_factory=lambda: np.zeros(0))
    powers: Samples = field(default_factory=lambda: np.zeros(0))
    peaks: Samples = field(default_factory=lambda: np.zeros(0))
    meter: BlockMeter = field(init=False)

    def __post_init__(self) -> None:
        """A meter at the take's rate."""
        self.meter = BlockMeter(self.part.info.rate_hz)

    def view(self) -> ProgressView:
        """What the page shows of it."""
        info = self.part.info
        return ProgressView(
            purpose=cast(Purpose, info.purpose),
            source=cast(Source, info.source),
            seconds=self.seconds,
            done_s=round(self.part.frames / info.rate_hz, 2),
            level_dbfs=self.level_dbfs,
            peak_dbfs=self.peak_dbfs,
            state="measuring" if self.state == "measuring" else "recording",
            until_steady=self.until_steady,
            steady=None if self.steady is None else SteadyView(**to_jsonable(self.steady)),
        )

    def add(self, block: Samples, *, metered: bool = True) -> None:
        """Keep a block and follow its level.

        Of several channels the loudest is followed. Nobody watches a take faster than time.
        """
        self.part.append(block)
        if block.ndim > 1:
            block = block[:, int(np.abs(block).max(axis=0).argmax())]
        level, peak = levels.rms_dbfs(block), levels.peak_dbfs(block)
        self.level_dbfs = round(level, 1) if np.isfinite(level) else None
        self.peak_dbfs = round(peak, 1) if np.isfinite(peak) else None
        if metered:
            self.frames += self.meter.add(block)
        if self.until_steady:
            self._follow_steadiness(block)

    @property
    def frames_left(self) -> int:
        """How much more it may hold: its length, and what a page sends while it is told to stop."""
        return round((self.seconds + _OVERRUN_S) * self.part.info.rate_hz) - self.part.frames

    @property
    def whole(self) -> bool:
        """Whether it has all that it was begun for."""
        return self.ended is not None or self.part.frames >= round(
            self.seconds * self.part.info.rate_hz
        )

    def claim_end(self) -> bool:
        """True for the one who may end it; nothing is added from then on."""
        with self.lock:
            if self.state != "recording":
                return False
            self.state = "measuring"
            return True

    def take_frames(self) -> list[Frame]:
        """The meter's frames since they were last asked for."""
        found, self.frames = self.frames, []
        return found

    def _follow_steadiness(self, block: Samples) -> None:
        """Once a second: is the talk known well enough? Then the take ends by itself."""
        rate = self.part.info.rate_hz
        self.loose = np.concatenate([self.loose, block])
        if len(self.loose) < rate:
            return
        power, peaks = frames_of(self.loose, rate_hz=rate)
        self.loose = self.loose[len(power) * round(FRAME_S * rate) :]
        self.powers, self.peaks = (
            np.concatenate([self.powers, power]),
            np.concatenate([self.peaks, peaks]),
        )
        self.steady = how_steady(self.powers, self.peaks)
        self.ended = why_ended(self.steady, heard_s=self.part.frames / rate)
        if self.ended is not None:
            self.stop.set()
