"""Listening into the room live: levels and third octaves twenty times a second, while someone switches a lamp off and sees what fell."""

from __future__ import annotations

import threading
import time
from typing import Any, Literal

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.live import FRAME_S, BlockMeter, Frame
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.ports import SoundStream, SourceGone
from obsidian_wren.service.workshop import Workshop

Origin = Literal["watch", "take", "run"]
_LATE_S = 0.5


def frame_json(frame: Frame, origin: Origin) -> dict[str, Any]:
    """A frame as the page gets it: one decimal, null for silence."""
    return {
        "of": origin, "level_dbfs": _shown(frame.level_dbfs), "peak_dbfs": _shown(frame.peak_dbfs), "clipped": frame.clipped,
        "short_dbfs": [_shown(level) for level in frame.short_dbfs], "a_weighted_dbfs": _shown(frame.a_weighted_dbfs),
        "bands_hz": list(frame.bands_hz), "bands_dbfs": [_shown(level) for level in frame.bands_dbfs],
    }  # fmt: skip


def _shown(level: float) -> float | None:
    return round(level, 1) if np.isfinite(level) else None


class Watch:
    """One watch over a stream; frames go to every open page until it is stopped."""

    def __init__(self, ws: Workshop, stream: SoundStream, purpose: Literal["rest", "talk"], *, paced: bool) -> None:
        self.purpose = purpose
        self.rate_hz = stream.rate_hz
        self.finished = threading.Event()
        self._ws = ws
        self._stream = stream
        self._paced = paced
        self._stop = threading.Event()
        self._meter = BlockMeter(stream.rate_hz)
        self._thread = threading.Thread(target=self._work, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """End."""
        self._stop.set()
        self._thread.join(timeout=5)

    def _work(self) -> None:
        count = round(FRAME_S * self._stream.rate_hz)
        began, done = time.monotonic(), 0
        try:
            while not self._stop.is_set():
                block = self._stream.read(count)
                if not len(block):
                    break
                sound = block if block.ndim == 1 else block[:, 0]
                self._ws.hear_aside(sound)
                for frame in self._meter.add(sound):
                    self._ws.bus.tell("frame", frame_json(frame, "watch"))
                done += len(block)
                if self._paced:
                    wait = began + done / self._stream.rate_hz - time.monotonic()
                    if wait > 0:
                        time.sleep(wait)
                    elif wait < -_LATE_S:
                        began -= wait
        except SourceGone as error:
            self._ws.bus.tell("trouble", {"sentence": str(error)})
        finally:
            self._stream.close()
            self.finished.set()
            self._ws.changed()


def start_watch(ws: Workshop, purpose: Literal["rest", "talk"], *, browser_rate_hz: int | None = None) -> None:
    """Listen in: to the simulated rig, or to the browser's microphone whose pieces follow."""
    from obsidian_wren.service.rigs import simulated_source, the_rig

    with ws.lock:
        if ws.take is not None:
            raise Refused("take-runs", "A take is running and shows its levels itself. Wait for it, or stop it.")
        if ws.watch is not None:
            ws.watch.stop()
            ws.watch = None
        with ws.sessions.begin() as session:
            rig = the_rig(ws, session)
            if rig.source == "simulated":
                stream: SoundStream = simulated_source(ws, session, rig).open_live(purpose)
            elif rig.source == "browser" and browser_rate_hz is not None:
                ws.watched = ws.world.open_browser(browser_rate_hz)
                stream = ws.watched
            elif rig.source == "browser":
                raise Refused("no-microphone", "Your microphone is opened by the page. Start listening from there.")
            else:
                raise Refused("files", "Sound comes from files, so there is nothing to listen to live. Choose your microphone in Rig.")
            paced = rig.source == "simulated"
        ws.watch = Watch(ws, stream, purpose, paced=paced)
        ws.watch.start()
    ws.changed()


def push_watch(ws: Workshop, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    if ws.watch is None or ws.watch.finished.is_set() or ws.watched is None:
        raise Refused("not-watching", "Nobody listens any more.")
    ws.watched.push(samples)


def stop_watch(ws: Workshop) -> None:
    """Stop listening in."""
    if ws.watch is not None:
        ws.watch.stop()
        ws.watch = None
        ws.watched = None
    ws.changed()
