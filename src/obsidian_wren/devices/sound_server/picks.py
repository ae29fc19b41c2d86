"""Which program recorded which input of ours: kept in a file, so that whoever a server moved away
is known and taken back, also by the run after this one.

A server moves those who record when an input is taken away, and when the default microphone
changes: one moves all of them, the other those that were on the default one.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from obsidian_wren.devices.sound_server.described import PREFIX
from obsidian_wren.ports.system_sound import SystemListener

# A busy server moves them a moment after it told what changed, and may lose what it was asked.
_MOVES_S = 3.0
_ASK_AGAIN_S, _GIVE_UP_S = 1.0, 60.0


@dataclass(frozen=True)
class Moved:
    """Who has to be asked for again, and who is there again, each with the name of its feed."""

    to_ask: tuple[tuple[SystemListener, str], ...]
    back: tuple[tuple[SystemListener, str], ...]


class Picks:
    """What each stream recorded last that is there; a person who moves one has the last word."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._feeds = _kept(path)
        self._usual: str | None = None
        # What was the default microphone lately: the server may move programs there still.
        self._until_s = dict[str, float]()
        # Where an earlier run ended, whoever heard it may have been moved meanwhile.
        self._moves_until_s = time.monotonic() + _MOVES_S
        self._looked_s = 0.0
        self._away_s = dict[str, float]()
        self._asked_s = dict[str, float]()

    def expect_moves(self) -> None:
        """The server moves programs by itself from now on for a moment."""
        self._moves_until_s = time.monotonic() + _MOVES_S

    @property
    def are_moving(self) -> bool:
        """Whether the server may move programs just now, or has not moved them back yet."""
        return bool(self._away_s) or time.monotonic() < self._moves_until_s

    def picked(self, listener: SystemListener, feed: str) -> None:
        """The person has moved one to a feed."""
        if _is_feed(feed):
            self._feeds[_stream(listener)] = feed
            self._keep()

    def look(
        self, listeners: Iterable[SystemListener], usual: str | None, looked_s: float
    ) -> Moved:
        """Whom the server has moved from a feed of ours to a default microphone.

        ``usual`` is the default microphone, ``looked_s`` when all this was looked at: between two
        looks more may have happened than either saw.
        """
        now_s = time.monotonic()
        if self._usual is not None and usual != self._usual:
            self.expect_moves()
            self._until_s[self._usual] = self._moves_until_s
        self._usual = usual
        lately = {usual, *(one for one, until_s in self._until_s.items() if now_s < until_s)}
        moving = self._looked_s < self._moves_until_s
        self._looked_s = max(self._looked_s, looked_s)
        feeds, away_s = dict[str, str](), dict[str, float]()
        to_ask, back = [], []
        for one in listeners:
            stream = _stream(one)
            feed, since_s = self._feeds.get(stream), self._away_s.get(stream)
            if feed is None or one.microphone == feed:
                if feed is not None and since_s is not None:
                    back.append((one, feed))
                if one.microphone is not None and _is_feed(one.microphone):
                    feeds[stream] = one.microphone
            elif one.microphone is None:
                # Between two microphones.
                feeds[stream] = feed
                if since_s is not None:
                    away_s[stream] = since_s
            elif one.microphone in lately and (
                moving if since_s is None else now_s - since_s < _GIVE_UP_S
            ):
                feeds[stream] = feed
                away_s[stream] = now_s if since_s is None else since_s
                if now_s - self._asked_s.get(stream, 0.0) >= _ASK_AGAIN_S:
                    self._asked_s[stream] = now_s
                    to_ask.append((one, feed))
            elif _is_feed(one.microphone):
                feeds[stream] = one.microphone
        self._away_s = away_s
        self._asked_s = {one: at_s for one, at_s in self._asked_s.items() if one in feeds}
        if feeds != self._feeds:
            self._feeds = feeds
            self._keep()
        return Moved(tuple(to_ask), tuple(back))

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
