"""Inputs of ours that programs can pick, and outputs of ours that they can play to."""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.core.wording import _
from obsidian_wren.devices.sound_server import keeper
from obsidian_wren.devices.sound_server.connection import (
    awaited,
    connected,
    server_name,
    sink_named,
    source_named,
)
from obsidian_wren.devices.sound_server.described import PREFIX
from obsidian_wren.devices.sound_server.feed import PipeFeed
from obsidian_wren.ports.system_sound import FEED_HZ, NoSoundServer, SystemInput

_PIPE_SOURCE, _NULL_SINK = "module-pipe-source", "module-null-sink"
# PipeWire reads a quantum at a time and keeps some; PulseAudio takes at once whatever there is.
_WAITS_SAMPLES = {"PipeWire": 4096, "PulseAudio": 0}
_FULL_VOLUME = 1.0
# WORD JOINER.
_UNSEEN = "\u2060"
_QUOTES = frozenset("\\'\"")
# Right single and double quotation mark, set minus.
_LOOK_ALIKES = str.maketrans({"'": "\u2019", '"': "\u201d", "\\": "\u2216"})


def ensure_input(folder: Path, key: str, title: str, channels: int = 1) -> PipeFeed:
    """A named input of one channel or two that any program can pick, and our end of it.

    What an earlier run left is taken over. It stands at full volume and is not muted. Raises
    NoSoundServer where the server would not make it, or where another run feeds it.
    """
    name, path = PREFIX + key, folder / f"{key}.pipe"
    held = _hold(folder / f"{key}.lock", title)
    try:
        with connected() as pulse:
            kind = server_name(pulse)
            there = source_named(pulse, name)
            if there is not None and not _is_kept(there, listed_as(title, kind), channels, path):
                _unload(pulse, there)
                # It goes a moment later; while its name is taken the next one would get another.
                awaited(lambda: None if source_named(pulse, name) else True)
                there = None
            if there is None:
                path.unlink(missing_ok=True)
                pulse.module_load(_PIPE_SOURCE, _arguments(name, title, channels, path, kind))
                there = awaited(lambda: source_named(pulse, name))
            if there is None:
                raise NoSoundServer(
                    "no-input",
                    _(
                        "The sound server did not create the input “{title}”. Restart it, then"
                        " try again.",
                        title=title,
                    ),
                )
            pulse.volume_set_all_chans(there, _FULL_VOLUME)
            pulse.mute(there, False)
        return PipeFeed(path, waits_samples=_WAITS_SAMPLES[kind], held=held, channels=channels)
    except BaseException:
        os.close(held)
        raise


def inputs() -> tuple[SystemInput, ...]:
    """The inputs of ours that are there."""
    with connected() as pulse:
        return tuple(
            SystemInput(source.name.removeprefix(PREFIX), source.description.removesuffix(_UNSEEN))
            for source in pulse.source_list()
            if source.name.startswith(PREFIX) and source.monitor_of_sink_name is None
        )


def remove_input(folder: Path, key: str) -> None:
    """Take one of our inputs away; nothing where it is not there. Who is cut off asks again."""
    try:
        _remove(key)
    except pulsectl.PulseDisconnected:
        _remove(key)
    for left in ("pipe", "lock"):
        (folder / f"{key}.{left}").unlink(missing_ok=True)


def _remove(key: str) -> None:
    with connected() as pulse:
        there = source_named(pulse, PREFIX + key)
        if there is not None:
            _unload(pulse, there)


def _unload(pulse: pulsectl.Pulse, there: Any) -> None:
    """Take away what may be gone by now."""
    try:
        pulse.module_unload(there.owner_module)
    except pulsectl.PulseOperationFailed:
        if source_named(pulse, there.name) is not None:
            raise


def relieve_input(folder: Path, key: str) -> None:
    """End what keeps an input for those who record it, and wait until it has let go; nothing where
    nobody keeps it."""
    lock = folder / f"{key}.lock"
    if keeper.relieve(lock):
        awaited(lambda: True if keeper.has_left(lock) else None)


def ensure_output(key: str, title: str) -> str:
    """An output of ours that plays nowhere: what is played to it is heard at its monitor."""
    name = PREFIX + key
    with connected() as pulse:
        if sink_named(pulse, name) is None:
            pulse.module_load(
                _NULL_SINK,
                f"sink_name={name} rate={FEED_HZ} channels=2"
                f" sink_properties={_described(title, server_name(pulse))}",
            )
            awaited(lambda: sink_named(pulse, name))
    return name


def remove_output(key: str) -> None:
    """Take one of our outputs away; who plays to it plays to the default one again."""
    with connected() as pulse:
        there = sink_named(pulse, PREFIX + key)
        if there is not None:
            pulse.module_unload(there.owner_module)


def keeps_input(folder: Path, key: str, title: str, channels: int = 1) -> bool:
    """Whether what is there of an input would be taken over as it is."""
    with connected() as pulse:
        listed = listed_as(title, server_name(pulse))
        there = source_named(pulse, PREFIX + key)
        return _is_kept(there, listed, channels, folder / f"{key}.pipe")


def _is_kept(there: Any, listed: str, channels: int, path: Path) -> bool:
    """Not where its pipe is lost, so that nothing can reach it any more; or where it has another
    name or other channels now."""
    return (
        there is not None
        and _is_pipe(path)
        and there.channel_count == channels
        and there.description.removesuffix(_UNSEEN) == listed
    )


def hand_over(folder: Path, feeds: Mapping[str, PipeFeed], *, stay: bool) -> set[str]:
    """Let a process of its own keep the inputs that programs record now, or all of them where they
    are to ``stay``; returns their keys. Feeds have to be closed all the same."""
    with connected() as pulse:
        there = {source.name.removeprefix(PREFIX) for source in pulse.source_list()}
        wanted = there & set(feeds) if stay else keeper.recorded(pulse) & set(feeds)
    if wanted:
        keeper.begin(
            folder, {key: (feeds[key].lock, feeds[key].channels) for key in wanted}, stay=stay
        )
    return wanted


def _hold(path: Path, title: str) -> int:
    """Only one run may write into an input: the lock goes with its process, however that ends. One
    that only keeps it for whoever records is relieved."""
    path.parent.mkdir(mode=0o700, exist_ok=True)
    held = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    try:
        if not _locked(held) and not (keeper.relieve(path) and awaited(lambda: _locked(held))):
            raise BlockingIOError
        os.ftruncate(held, 0)
    except OSError as error:
        os.close(held)
        raise NoSoundServer(
            "taken",
            _(
                "Another Obsidian Wren of yours already feeds “{title}”. End it: this one takes"
                " over by itself.",
                title=title,
            ),
        ) from error
    return held


def _locked(held: int) -> bool:
    import fcntl

    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True


def _arguments(name: str, title: str, channels: int, path: Path, server: str) -> str:
    return (
        f"source_name={name} file='{path}' format=float32le rate={FEED_HZ} channels={channels}"
        f" source_properties={_described(title, server)}"
    )


def _described(title: str, server: str) -> str:
    """A title within the nested quotes of a module's arguments: one server takes quotes behind a
    backslash, the other takes none."""
    plain = listed_as(title, server)
    if server != "PipeWire":
        plain = "".join(f"\\{sign}" if sign in _QUOTES else sign for sign in plain)
    # It takes the word for nothing as nothing, also between quotes: a sign that nobody sees makes
    # it a name.
    unseen = _UNSEEN if plain.strip() == "null" else ""
    return f"'device.description=\"{plain}{unseen}\"'"


def listed_as(title: str, server: str) -> str:
    """What a server lists an input of a title as: one takes no straight quotes and no backslash, so
    it gets those that look like them."""
    plain = "".join(sign for sign in title if sign.isprintable())
    return plain.translate(_LOOK_ALIKES) if server == "PipeWire" else plain


def _is_pipe(path: Path) -> bool:
    try:
        return stat.S_ISFIFO(path.stat().st_mode)
    except OSError:
        return False
