"""Programs that the sound server lost on the way: they listen to an input of ours that it reads no
more.

After a machine slept, PipeWire may leave an input unread though programs listen to it, and never
begins again. It is made anew; who listens waits aside meanwhile, where nothing is heard.
"""

from __future__ import annotations

import time
from contextlib import suppress
from dataclasses import dataclass, field

from obsidian_wren.ports.system_sound import NoSoundServer, SystemSound
from obsidian_wren.service.mixes import own_system
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.voice.moving import ensure_joined

# A server that reads takes something many times a second.
_UNREAD_S = 2.0
# Where it did not help, it will not help at once.
_AGAIN_S = 30.0


@dataclass
class _Unread:
    """By the key of a feed, monotonic seconds: since when its listeners wait, and when they were
    made to join it anew."""

    since_s: dict[str, float] = field(default_factory=dict)
    tried_s: dict[str, float] = field(default_factory=dict)


def join_unread(ws: Workshop) -> None:
    """Make a feed anew that is written to but not read, and let whoever listens join it again."""
    system = ws.world.system
    if system is None or system.seen.missing is not None:
        return
    unread, now_s = ws.own(_Unread), time.monotonic()
    for key, feed in list(own_system.current(ws).held.items()):
        name = system.input_name(key)
        streams = {each.index for each in system.seen.listeners if each.microphone == name}
        if not streams or not feed.unread_s:
            unread.since_s.pop(key, None)
            continue
        since_s = unread.since_s.setdefault(key, now_s)
        tried_s = unread.tried_s.get(key, now_s - _AGAIN_S)
        if now_s - since_s >= _UNREAD_S and now_s - tried_s >= _AGAIN_S:
            unread.tried_s[key] = now_s
            with suppress(NoSoundServer):
                _join_anew(ws, system, key)


def _join_anew(ws: Workshop, system: SystemSound, key: str) -> None:
    feeds = own_system.current(ws)
    before = feeds.held.pop(key)
    before.close()
    feeds.held[key] = ensure_joined(system, key, feeds.titles[key], before.channels, anew=True)
