"""Sound of what is live, read from the memory that the voice writes it into."""

from __future__ import annotations

import itertools
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import cast

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.voice_link import VoiceLink
from obsidian_wren.voice import asking, records
from obsidian_wren.voice.shared import TracksReader, Wanted

_READ_EVERY_S, _MOST_READ_S = 0.04, 1.0
_PATIENCE_S, _LOOK_S = 3.0, 0.005
_NUMBERS = itertools.count()
_MICROPHONE = (records.Track("voice as heard"),)


class LentMicrophone:
    """A microphone as a stream of its one channel, from the memory that the voice writes it into:
    the one that is live, or what is ``asked`` for under a name. ``is_over``: whether it is live no
    more; ``lost``: how often it lost sound."""

    channels = 1

    def __init__(
        self,
        link: VoiceLink,
        *,
        asked: Callable[[str], records.Request] = lambda name: records.Share(name, _MICROPHONE),
        is_over: Callable[[], bool] = lambda: False,
        lost: Callable[[], int] = lambda: 0,
    ) -> None:
        self._link, self._is_over, self._lost = link, is_over, lost
        self._name = f"microphone {next(_NUMBERS)}"
        shared = cast(records.Shared, link.ask(asked(self._name)))
        self.rate_hz = shared.rate_hz
        self._reader = TracksReader(shared.place, shared.tracks, shared.frames)
        self._held: Samples = np.zeros(0)
        self._gaps_before = lost()
        self.arrived_s = time.monotonic()
        self._closed = False

    @property
    def gaps(self) -> int:
        """How often sound was lost."""
        return self._lost() - self._gaps_before + self._reader.lost

    def read(self, count: int) -> Samples:
        """Just ``(count,)`` samples, once they are there. Raises SourceGone when it is no longer
        live, or nothing came for 3 s."""
        while len(self._held) < count:
            block = self._reader.read(count) if not self._closed else np.zeros((0, 1))
            if len(block):
                self._held = np.concatenate([self._held, block[:, 0]])
                self.arrived_s = time.monotonic()
                continue
            late = time.monotonic() - self.arrived_s > _PATIENCE_S
            if late or self._closed or self._is_over():
                raise SourceGone(_("You are no longer live, so the microphone was released."))
            time.sleep(_LOOK_S)
        found, self._held = self._held[:count], self._held[count:]
        return found

    def close(self) -> None:
        """Let go of it."""
        if self._closed:
            return
        self._closed = True
        if self._link.is_there:
            with suppress(asking.VoiceRefused):
                self._link.ask(records.Share(self._name, ()))


def listen_in(link: VoiceLink, rig: records.SimulatedRigRecord, purpose: str) -> LentMicrophone:
    """What a simulated rig hears. Raises Refused."""
    try:
        return LentMicrophone(link, asked=lambda name: records.Listen(name, rig, purpose))
    except (asking.VoiceRefused, OSError) as error:
        raise Refused("no-voice", str(error)) from error


class Tracks:
    """Tracks of what is live, read from the memory that the voice writes them into."""

    def __init__(
        self,
        link: VoiceLink,
        name: str,
        tracks: Sequence[Wanted],
        hear: Callable[[tuple[Samples, ...]], None],
    ) -> None:
        wanted = tuple(records.Track(each.signal, each.channels) for each in tracks)
        shared = cast(records.Shared, link.ask(records.Share(name, wanted)))
        self._link, self._name, self._hear = link, name, hear
        self._widths = [each.channels for each in wanted]
        self._reader = TracksReader(shared.place, shared.tracks, shared.frames)
        self._most = round(_MOST_READ_S * shared.rate_hz)
        self._ended = threading.Event()
        self._worker = threading.Thread(target=self._work, name="tracks", daemon=True)
        self._worker.start()

    def end(self) -> None:
        """Hear what is there, and nothing more."""
        if self._ended.is_set():
            return
        self._ended.set()
        if threading.current_thread() is not self._worker:
            self._worker.join(timeout=5)

    def _work(self) -> None:
        while not self._ended.wait(_READ_EVERY_S):
            self._take()
        self._take()
        if self._link.is_there:
            # Where it went, its memory went with it.
            with suppress(asking.VoiceRefused):
                self._link.ask(records.Share(self._name, ()))
        self._reader.close()

    def _take(self) -> None:
        while len(block := self._reader.read(self._most)):
            at, parts = 0, []
            for width in self._widths:
                parts.append(block[:, at : at + width])
                at += width
            self._hear(tuple(parts))
