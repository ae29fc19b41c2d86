"""The listeners of this computer's own system: inputs that any program can pick, headphones that
are played to, and what is heard of them."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import cast

from obsidian_wren.ports.system_sound import (
    SystemFeed,
    SystemSound,
)
from obsidian_wren.ports.world import Listener, Player
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.voice.silence import Silence
from obsidian_wren.voice.system_ends import ComputerSound, NamedInput, PlayedTo


@dataclass
class Feeds:
    """Our ends of the inputs that are there, by the key of their listener, with the titles that
    they were made under; what the server said where one could not be made; where the headphones
    are; which program's sound comes back from whom; and when the run wrote to each feed last, which
    is silent otherwise."""

    held: dict[str, SystemFeed] = field(default_factory=dict)
    titles: dict[str, str] = field(default_factory=dict)
    troubles: dict[str, str] = field(default_factory=dict)
    outputs: dict[str, str | None] = field(default_factory=dict)
    returns: dict[str, str | None] = field(default_factory=dict)
    wrote_s: dict[str, float] = field(default_factory=dict)
    silence: Silence | None = None


def current(ws: Workshop) -> Feeds:
    """The feeds as they stand."""
    return ws.own(Feeds)


def keep_silent(ws: Workshop) -> None:
    """Write silence from now on where nobody else writes, until :func:`end_silence`."""
    feeds, system = current(ws), cast(SystemSound, ws.world.system)

    def heard() -> list[tuple[SystemFeed, float]]:
        picked = {listener.microphone for listener in system.seen.listeners}
        return [
            (feed, feeds.wrote_s.get(key, 0.0))
            for key, feed in list(feeds.held.items())
            if system.input_name(key) in picked
        ]

    if feeds.silence is None:
        feeds.silence = Silence(heard)


def end_silence(ws: Workshop) -> None:
    """Write silence no more."""
    feeds = current(ws)
    if feeds.silence is not None:
        feeds.silence.end()
        feeds.silence = None


def listener_for(ws: Workshop, key: str, kind: str, name: str) -> Listener:
    """What stands for a listener in the run."""
    system = cast(SystemSound, ws.world.system)
    feeds = current(ws)
    if kind == "headphones":
        return PlayedTo(system, kind, name, lambda: feeds.outputs.get(key))
    return NamedInput(
        system,
        key,
        kind,
        name,
        feed=lambda: feeds.held.get(key),
        wrote=lambda: feeds.wrote_s.__setitem__(key, time.monotonic()),
        back=lambda: feeds.returns.get(key),
    )


def computer_sound(ws: Workshop, rate_hz: int) -> Player:
    """What the computer plays, from the monitor of its default output."""
    system = cast(SystemSound, ws.world.system)

    def monitor() -> str | None:
        usual = next(
            (
                device
                for device in system.seen.devices
                if device.direction == "output" and device.is_default
            ),
            None,
        )
        return None if usual is None else system.monitor_of(usual.id)

    return ComputerSound(system, monitor, rate_hz)
