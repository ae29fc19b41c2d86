"""Which program recorded which input of ours: kept in a file, so that whoever a server moved away
is known and taken back, also by the run after this one.

A server moves those who record when an input is taken away, and when the default microphone
changes: one moves all of them, the other those that were on the default one.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path

from obsidian_wren.devices.sound_server.described import PREFIX
from obsidian_wren.ports.system_sound import SystemListener

# A busy server moves them a moment after it told what changed.
_MOVES_S = 3.0
_ASK_AGAIN_S = 1.0


class Picks:
    """What each stream recorded last that is there; a person who moves one has the last word."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._feeds = _kept(path)
        self._usual: str | None = None
        # Where an earlier run ended, whoever heard it may have been moved meanwhile.
        self._until_s = time.monotonic() + _MOVES_S
        self._asked_s: dict[str, float] = {}

    def expect_moves(self) -> None:
        """The server moves programs by itself from now on for a moment."""
        self._until_s = time.monotonic() + _MOVES_S

    def picked(self, listener: SystemListener, feed: str) -> None:
        """The person has moved one to a feed."""
        if _is_feed(feed):
            self._feeds[_stream(listener)] = feed
            self._keep()

    def taken_away(
        self, listeners: Iterable[SystemListener], usual: str | None
    ) -> Iterator[tuple[SystemListener, str]]:
        """Those whom the server has moved from a feed of ours to the default microphone, with the
        name of that feed. ``usual`` is the default microphone."""
        now_s = time.monotonic()
        if self._usual is not None and usual != self._usual:
            self.expect_moves()
        self._usual = usual
        feeds = {}
        for one in listeners:
            stream = _stream(one)
            before = self._feeds.get(stream)
            moved = one.microphone == usual and now_s < self._until_s
            if before not in (None, one.microphone) and (moved or one.microphone is None):
                feeds[stream] = before
                if moved and now_s - self._asked_s.get(stream, 0.0) >= _ASK_AGAIN_S:
                    self._asked_s[stream] = now_s
                    yield one, before
            elif one.microphone is not None and _is_feed(one.microphone):
                feeds[stream] = one.microphone
        if feeds != self._feeds:
            self._feeds = feeds
            self._keep()

    def _keep(self) -> None:
        new = self._path.with_suffix(".new")
        with suppress(OSError):
            new.write_text(json.dumps(self._feeds))
            new.replace(self._path)


def _is_feed(microphone: str) -> bool:
    return microphone.startswith(PREFIX) and not microphone.endswith(".monitor")


def _stream(listener: SystemListener) -> str:
    """A stream of one program: its number alone begins anew with the server."""
    return f"{listener.index} {listener.process_id} {listener.program}"


def _kept(path: Path) -> dict[str, str]:
    try:
        found = json.loads(path.read_text())
    except (OSError, ValueError):
        return {}
    if not isinstance(found, dict):
        return {}
    return {stream: feed for stream, feed in found.items() if isinstance(feed, str)}
