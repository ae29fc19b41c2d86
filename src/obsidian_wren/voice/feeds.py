"""The inputs that programs can pick: made as they are wanted and when they are lost, silent where
nothing is written to them."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from contextlib import suppress

from obsidian_wren.ports.system_sound import NoSoundServer, SystemFeed, SystemSound
from obsidian_wren.voice import records
from obsidian_wren.voice.moving import ensure_joined
from obsidian_wren.voice.priority import let_come_first
from obsidian_wren.voice.silence import Silence
from obsidian_wren.voice.unread import Unread, join_anew


class RunningFeeds:
    """By the keys of their listeners, over a sound server. ``named`` is called when a feed was made
    under a title; ``is_live`` says whether blocks are on their way to them. One thread at a time
    makes them and takes them away. ``brokered``: the desktop may be asked to let them be read
    before other programs."""

    def __init__(
        self,
        system: SystemSound,
        named: Callable[[str, str], None],
        is_live: Callable[[], bool],
        *,
        brokered: bool = False,
    ) -> None:
        self._brokered = brokered
        self._system, self._named = system, named
        self._there: dict[str, SystemFeed] = {}
        self._wanted = records.Feeds({})
        self._unread = Unread()
        self._titles: dict[str, str] = {}
        self._wrote_s: dict[str, float] = {}
        self._made_s: dict[str, float] = {}
        self._looked_s = 0.0
        self._silence = Silence(self._silent, is_live)

    @property
    def keys(self) -> tuple[str, ...]:
        """Which are there."""
        return tuple(self._there)

    def get(self, key: str) -> SystemFeed | None:
        """One of them, to be written to."""
        return self._there.get(key)

    def wrote(self, key: str) -> None:
        """Something was written to one just now."""
        self._wrote_s[key] = time.monotonic()

    def look(self) -> None:
        """What was live may have ended just now, and what listens is to hear silence."""
        self._silence.look()

    def want(self, asked: records.Feeds) -> records.Troubles:
        """Make those that are missing, take away what is out of use and nobody records."""
        recorded, self._wanted = self._recorded(), asked
        for key in [key for key in self._there if key not in asked.wanted]:
            if self._system.input_name(key) not in recorded:
                self._there.pop(key).close()
                with suppress(NoSoundServer):
                    self._system.remove_input(key)
        return self.ensure_all()

    def ensure_all(self) -> records.Troubles:
        """Make those that are missing."""
        troubles = {}
        for key, feed in self._wanted.wanted.items():
            try:
                self.ensure(key, feed.title, feed.channels)
            except NoSoundServer as error:
                troubles[key] = str(error)
        return records.Troubles(troubles)

    def ensure(self, key: str, title: str, channels: int) -> None:
        """Make one where it is missing, or is another one. Raises NoSoundServer."""
        feed, wanted = self._there.get(key), (title, channels)
        if (
            feed is not None
            and feed.is_whole
            and (self._titles[key], feed.channels) == wanted
            and self._is_listed(key)
        ):
            return
        if feed is not None:
            self._there.pop(key).close()
        made = self._there[key] = ensure_joined(self._system, key, title, channels)
        # A bus may answer late, or never.
        threading.Thread(target=self._hurry, args=(made,), daemon=True).start()
        self._titles[key], self._made_s[key] = title, time.monotonic()
        self._named(key, title)

    def _hurry(self, feed: SystemFeed) -> None:
        for process, thread in feed.held_up:
            let_come_first(process, thread, brokered=self._brokered)

    def _is_listed(self, key: str) -> bool:
        """Whether the server has an input; one that was just made is not seen yet."""
        name = self._system.input_name(key)
        return self._made_s.get(key, 0.0) > self._looked_s or name in {
            device.id for device in self._system.seen.devices
        }

    def seen(self, began_s: float) -> None:
        """The server was looked at, from then on."""
        self._looked_s = began_s

    def unread(self) -> list[str]:
        """The keys of those that the server reads no more though somebody listens."""
        return self._unread.due(self._system, self._there)

    def join_anew(self, key: str) -> None:
        """Make one anew, and let whoever listens join it again. Raises NoSoundServer."""
        join_anew(self._system, self._there, self._titles, key)

    def end(self) -> None:
        """None any more; those that programs record carry silence until nobody does."""
        kept = set[str]()
        with suppress(NoSoundServer):
            kept = self._system.hand_over(self._there, stay=self._wanted.stay)
        self._silence.end()
        for key, feed in self._there.items():
            feed.close()
            if key not in kept:
                with suppress(NoSoundServer):
                    self._system.remove_input(key)

    def _silent(self) -> list[tuple[SystemFeed, float]]:
        """Those that somebody records, and when each was written to last."""
        recorded = self._recorded()
        return [
            (feed, self._wrote_s.get(key, 0.0))
            for key, feed in list(self._there.items())
            if self._system.input_name(key) in recorded
        ]

    def _recorded(self) -> set[str | None]:
        return {listener.microphone for listener in self._system.seen.listeners}
