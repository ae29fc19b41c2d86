"""Feeds that programs listen to and the sound server reads no more.

After a machine slept, or where whoever wrote to it was killed, PipeWire may leave an input unread
though programs listen to it, and never begins again. It has to be made anew; who listens waits
aside meanwhile, where nothing is heard.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass, field

from obsidian_wren.ports.system_sound import SystemFeed, SystemSound
from obsidian_wren.voice.moving import ensure_joined

# A server that reads takes something many times a second.
_UNREAD_S = 1.0
# Where it did not help, it will not help at once.
_AGAIN_S = 15.0


@dataclass
class Unread:
    """By the key of a feed, monotonic seconds: since when its listeners wait, and when they were
    made to join it anew."""

    since_s: dict[str, float] = field(default_factory=dict)
    tried_s: dict[str, float] = field(default_factory=dict)

    def due(self, system: SystemSound, feeds: Mapping[str, SystemFeed]) -> list[str]:
        """The keys of the feeds that have to be made anew now."""
        now_s, found = time.monotonic(), []
        for key, feed in list(feeds.items()):
            name = system.input_name(key)
            heard = any(each.microphone == name for each in system.seen.listeners)
            if not heard or not feed.unread_s:
                self.since_s.pop(key, None)
                continue
            since_s = self.since_s.setdefault(key, now_s)
            tried_s = self.tried_s.get(key, now_s - _AGAIN_S)
            if now_s - since_s >= _UNREAD_S and now_s - tried_s >= _AGAIN_S:
                self.tried_s[key] = now_s
                found.append(key)
        return found


def join_anew(
    system: SystemSound, feeds: dict[str, SystemFeed], titles: Mapping[str, str], key: str
) -> None:
    """Make a feed anew, and let whoever listens join it again. Raises NoSoundServer."""
    before = feeds.pop(key)
    before.close()
    feeds[key] = ensure_joined(system, key, titles[key], before.channels, anew=True)
