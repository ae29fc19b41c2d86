"""Programs that record are moved to another input, and asked for again until they are there: a
sound server under load answers before it moves, and may lose what it was asked."""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable

from obsidian_wren.service.ports import SourceGone
from obsidian_wren.service.system_sound import SystemSound

_MOVES_S, _ASK_AGAIN_S, _LOOK_S = 5.0, 1.0, 0.05


def move_listeners(system: SystemSound, streams: Collection[int], microphone: str) -> set[int]:
    """Let programs hear another input. Returns those that are gone, or not there after five
    seconds.

    ``streams``: by their indices in the system.
    """
    waiting, gone = set(streams), set[int]()
    end_s, asked_s = time.monotonic() + _MOVES_S, None
    while waiting and time.monotonic() < end_s:
        if asked_s is None or time.monotonic() - asked_s >= _ASK_AGAIN_S:
            # What it was asked already is no news to a server: it is sent where it is, then on.
            stands = {one.index: one.microphone for one in system.seen.listeners}
            for each in waiting:
                here = None if asked_s is None else stands.get(each)
                if not _ask(system, each, [*filter(None, [here]), microphone]):
                    gone.add(each)
            asked_s = time.monotonic()
        system.look()
        there = {one.index for one in system.seen.listeners if one.microphone == microphone}
        waiting -= gone | there
        if waiting:
            time.sleep(_LOOK_S)
    return waiting | gone


def _ask(system: SystemSound, stream: int, ways: Iterable[str]) -> bool:
    try:
        for microphone in ways:
            system.move_listener(stream, microphone)
    except SourceGone:
        return False
    return True
