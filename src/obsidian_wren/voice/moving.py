"""Programs that record are moved to another input, and asked for again until they are there: a
sound server under load answers before it moves, and may lose what it was asked."""

from __future__ import annotations

import time
from collections.abc import Collection, Iterable

from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import SystemFeed, SystemInput, SystemListener, SystemSound
from obsidian_wren.ports.world import SourceGone

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


# An output that plays nowhere: nobody may hear anything else meanwhile, least of all the raw voice.
_ASIDE = "aside"


def ensure_joined(
    system: SystemSound, key: str, title: str, channels: int = 1, *, anew: bool = False
) -> SystemFeed:
    """A named input that any program can pick, and our end of it. Where it has to be made ``anew``,
    whoever records it waits aside meanwhile and is on it again afterwards. Raises
    NoSoundServer."""
    name = system.input_name(key)
    streams = {one.index for one in system.seen.listeners if one.microphone == name}
    if not streams or (not anew and system.keeps_input(key, title, channels)):
        return system.ensure_input(key, title, channels)
    # What keeps it takes it away where nobody records it, as now, and would take the next one.
    system.relieve_input(key)
    aside = system.ensure_output(_ASIDE, "Wren: aside")
    try:
        move_listeners(system, streams, system.monitor_of(aside))
        system.remove_input(key)
        made = system.ensure_input(key, title, channels)
        move_listeners(system, streams, name)
        return made
    finally:
        system.remove_output(_ASIDE)
        system.look()


def said_of(listener: SystemListener, feed: SystemInput) -> str:
    """What a person is told of one who was taken back to a feed."""
    return _(
        "The sound server had moved {program} to your microphone itself. It hears “{title}” again.",
        program=listener.program,
        title=feed.title,
    )


def _ask(system: SystemSound, stream: int, ways: Iterable[str]) -> bool:
    try:
        for microphone in ways:
            system.move_listener(stream, microphone)
    except SourceGone:
        return False
    return True
