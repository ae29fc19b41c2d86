"""The live run: source, chain, listeners, block by block, with the marker sent through on request."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import peak_dbfs, rms_dbfs
from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.core.mix.marker import MarkerResult, find_marker, marker_sound
from obsidian_wren.service.ports import KeepingListener, Listener, SoundStream, SourceGone
from obsidian_wren.service.watching import frame_json

BLOCK_S = 0.01
# A page on another core cannot hold the run up; a machine that sleeps can.
_LATE_S = 0.25
_TELL_EVERY_S = 0.2
_MARKER_TAIL_S = 0.5


@dataclass
class _MarkerInFlight:
    raw: Samples
    treated: Samples
    sent_level_dbfs: float
    at: int
    starts: dict[str, int]
    needed: int
    done: Callable[[dict[str, MarkerResult]], None]


class LiveRun:
    """One run. ``inputs`` maps the names that listeners pick to ``raw`` or ``treated``."""

    def __init__(
        self, stream: SoundStream, specification: Sequence[StageSpec], listeners: Sequence[Listener], inputs: dict[str, str],
        *, tell: Callable[[str, dict[str, object]], None], paced: bool, aside: Callable[[Samples], None] = lambda block: None,
    ) -> None:  # fmt: skip
        self.rate_hz = stream.rate_hz
        self.dropouts = 0
        self.stopped_why: str | None = None
        self.finished = threading.Event()
        self._stream = stream
        self._chain = VoiceChain(specification, self.rate_hz)
        self._listeners = listeners
        self._inputs = inputs
        self._tell = tell
        self._paced = paced
        self._aside = aside
        self._stop = threading.Event()
        self._marker: _MarkerInFlight | None = None
        self._failed: set[str] = set()
        self._troubles_told = 0
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._work, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End; listeners get nothing from then on."""
        self._stop.set()
        self._thread.join(timeout=5)

    def change_chain(self, specification: Sequence[StageSpec]) -> None:
        """Go over to other stages or settings without a gap or a click."""
        with self._lock:
            self._chain.change(specification)

    @property
    def marker_in_flight(self) -> bool:
        """Whether a marker is on its way."""
        return self._marker is not None

    def send_marker(self, level_dbfs: float, done: Callable[[dict[str, MarkerResult]], None]) -> None:
        """Send both codes with the coming blocks; ``done`` gets what each keeping listener heard."""
        raw = marker_sound("raw", level_dbfs=level_dbfs, rate_hz=self.rate_hz)
        treated = marker_sound("treated", level_dbfs=level_dbfs, rate_hz=self.rate_hz)
        needed = len(raw) + round(_MARKER_TAIL_S * self.rate_hz)
        with self._lock:
            self._marker = _MarkerInFlight(raw, treated, level_dbfs, 0, {}, needed, done)

    def _keeping(self) -> list[KeepingListener]:
        return [listener for listener in self._listeners if hasattr(listener, "heard_since")]  # type: ignore[misc]

    def _work(self) -> None:
        count = round(BLOCK_S * self.rate_hz)
        began, done_frames, told = time.monotonic(), 0, 0.0
        meter = BlockMeter(self.rate_hz)
        try:
            while not self._stop.is_set():
                block = self._stream.read(count)
                if block.ndim > 1:
                    block = block[:, 0]
                if not len(block):
                    raise SourceGone("The source gave no more sound, so the run stopped. Check the microphone, then start it again.")
                self._aside(block)
                treated = self.step(block)
                done_frames += len(block)
                if self._paced:
                    wait = began + done_frames / self.rate_hz - time.monotonic()
                    if wait < -_LATE_S:
                        self.dropouts += 1
                        began -= wait
                    elif wait > 0:
                        time.sleep(wait)
                else:
                    time.sleep(0.0005)
                for frame in meter.add(treated):
                    self._tell("frame", frame_json(frame, "run"))
                if time.monotonic() - told > _TELL_EVERY_S:
                    told = time.monotonic()
                    self._tell("live", {"level_dbfs": _shown(rms_dbfs(treated)), "peak_dbfs": _shown(peak_dbfs(treated))})
        except SourceGone as error:
            self.stopped_why = str(error)
        except Exception as error:
            self.stopped_why = f"The run failed inside ({type(error).__name__}) and stopped; listeners get silence. Start it again."
        finally:
            self._stream.close()
            self.finished.set()
            self._tell("changed", {})

    def step(self, block: Samples) -> Samples:
        """One block through the chain to every listener; returns the treated block."""
        with self._lock:
            marker = self._marker
            raw = to_chain = block
            if marker is not None and marker.at == 0:
                # Asked for while a block is being given, a position read then would be one block early.
                marker.starts = {k.name: k.position for k in self._keeping()}
            if marker is not None and marker.at < len(marker.raw):
                raw = block + _piece(marker.raw, marker.at, len(block))
                to_chain = block + _piece(marker.treated, marker.at, len(block))
            treated = self._chain.process(to_chain)
            troubles = self._chain.troubles[self._troubles_told :]
            if marker is not None:
                marker.at += len(block)
        for trouble in troubles:
            self._troubles_told += 1
            self._tell("trouble", {"sentence": trouble.sentence})
        for listener in self._listeners:
            kind = self._inputs.get(listener.picks or "")
            if listener.name not in self._failed:
                self._give(listener, raw if kind == "raw" else treated if kind == "treated" else np.zeros(len(block)))
        if marker is not None and marker.at >= marker.needed:
            self._marker = None
            # Looking for it takes longer than a block lasts, so it is done beside the run.
            heard = {k.name: k.heard_since(marker.starts[k.name]) for k in self._keeping() if k.name in marker.starts}
            threading.Thread(target=self._look, args=(marker, heard), daemon=True).start()
        return treated

    def _give(self, listener: Listener, block: Samples) -> None:
        try:
            listener.hear(block)
        except Exception as error:
            # One listener that fails must not silence the others.
            self._failed.add(listener.name)
            sentence = f"{listener.name} failed ({error}) and gets nothing more; the rest goes on. Stop live, mend it, start again."
            self._tell("trouble", {"sentence": sentence})

    def _look(self, marker: _MarkerInFlight, heard: dict[str, Samples]) -> None:
        marker.done(
            {name: find_marker(sound, sent_level_dbfs=marker.sent_level_dbfs, rate_hz=self.rate_hz) for name, sound in heard.items()}
        )


def _piece(sound: Samples, at: int, count: int) -> Samples:
    part = sound[at : at + count]
    return part if len(part) == count else np.concatenate([part, np.zeros(count - len(part))])


def _shown(level: float) -> float | None:
    return round(level, 1) if np.isfinite(level) else None


class Loop:
    """A take played round and round: the live source of someone who works from files."""

    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._samples = samples
        self._at = 0

    def read(self, count: int) -> Samples:
        """The next samples, from the beginning again after the end."""
        block = np.take(self._samples, np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._samples)
        return block

    def close(self) -> None:
        """Nothing to let go of."""
