"""A process of its own that stays while somebody records an input of a program that has ended.

An input that is taken away sends whoever records it to the default microphone: the raw voice, and
they stay there. So it carries silence until nobody records it any more, and is taken away then.
"""

from __future__ import annotations

import argparse
import os
import selectors
import signal
import subprocess
import sys
import time
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.devices.sound_server.connection import LOST, connected, source_named
from obsidian_wren.devices.sound_server.described import PREFIX, is_a_program
from obsidian_wren.ports.system_sound import FEED_HZ

_BLOCK_S, _FLOAT_BYTES = 0.01, 4
_LOOK_EVERY_S, _READY_S, _GIVES_UP_S = 0.5, 5.0, 5.0
# What a machine that slept does not make up for.
_MOST_LATE_S = 0.1


def begin(folder: Path, held: Mapping[str, tuple[int, int]], *, stay: bool) -> None:
    """Start it for inputs by their keys, and wait until it writes, 5 s at most.

    ``held``: the descriptor of the lock of each, which goes over to it without being let go, and
    how many channels it has. With ``stay`` it goes on while nobody records.
    """
    given = [f"{key}={lock}={channels}" for key, (lock, channels) in held.items()]
    process = subprocess.Popen(
        [
            *(sys.executable, "-P", "-m", __spec__.name, str(folder), *given),
            *(["--stay"] if stay else []),
        ],
        pass_fds=[lock for lock, _ in held.values()],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        # What ends the program in front does not end it.
        start_new_session=True,
    )
    assert process.stdout is not None
    with selectors.DefaultSelector() as ready:
        ready.register(process.stdout, selectors.EVENT_READ)
        ready.select(_READY_S)
    process.stdout.close()
    # It outlives this program; nobody waits for it.
    process.returncode = 0


def relieve(lock: Path) -> bool:
    """End the one that holds a lock, so that a program can go on with the input; whether there was
    one."""
    try:
        process = int(lock.read_text() or 0)
    except (OSError, ValueError):
        return False
    if process <= 0:
        return False
    with suppress(ProcessLookupError):
        os.kill(process, signal.SIGTERM)
    return True


def has_left(lock: Path) -> bool:
    """Whether the one that held a lock goes on with the input no more."""
    try:
        return not lock.read_text()
    except OSError:
        return True


class _Kept:
    """One input: its pipe, its lock."""

    def __init__(self, folder: Path, key: str, lock: int, channels: int) -> None:
        self.key, self._lock = key, lock
        self._paths = (folder / f"{key}.pipe", folder / f"{key}.lock")
        self._pipe = os.open(self._paths[0], os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)
        self._silence = bytes(round(_BLOCK_S * FEED_HZ) * channels * _FLOAT_BYTES)
        self._say(str(os.getpid()))

    def _say(self, who: str) -> None:
        os.ftruncate(self._lock, 0)
        os.pwrite(self._lock, who.encode(), 0)

    def write(self) -> None:
        """A block of silence; nothing where the pipe is full."""
        with suppress(BlockingIOError):
            os.write(self._pipe, self._silence)

    def leave(self) -> None:
        """Let another program go on with it."""
        self._say("")
        os.close(self._lock)

    def remove(self) -> None:
        """Take it away, for nobody records it."""
        with connected() as pulse:
            there = source_named(pulse, PREFIX + self.key)
            if there is not None:
                pulse.module_unload(there.owner_module)
        self.forget()

    def forget(self) -> None:
        """It is gone already."""
        for path in self._paths:
            path.unlink(missing_ok=True)
        os.close(self._lock)


def recorded(pulse: pulsectl.Pulse) -> set[str]:
    """The keys of our inputs that programs record."""
    sources = {source.index: source.name for source in pulse.source_list()}
    names = {
        sources.get(stream.source, "")
        for stream in pulse.source_output_list()
        if is_a_program(stream.proplist)
    }
    return {name.removeprefix(PREFIX) for name in names if name.startswith(PREFIX)}


def _keep(kept: list[_Kept], *, stay: bool) -> None:
    due_s = time.monotonic()
    look_s, seen_s = due_s + _LOOK_EVERY_S, due_s
    while kept:
        for each in kept:
            each.write()
        now_s = time.monotonic()
        due_s = max(due_s, now_s - _MOST_LATE_S) + _BLOCK_S
        if now_s >= look_s:
            look_s = now_s + _LOOK_EVERY_S
            try:
                with connected() as pulse:
                    wanted = recorded(pulse)
                seen_s = now_s
                for each in [] if stay else [one for one in kept if one.key not in wanted]:
                    each.remove()
                    kept.remove(each)
            except LOST:
                if now_s - seen_s > _GIVES_UP_S:
                    # The server is gone, and our inputs with it.
                    while kept:
                        kept.pop().forget()
        time.sleep(max(0.0, due_s - time.monotonic()))


def main() -> None:
    """Keep the inputs named on the command line, until nobody records them or SIGTERM comes."""
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=Path)
    parser.add_argument("inputs", nargs="+")
    parser.add_argument("--stay", action="store_true")
    chosen = parser.parse_args()
    kept: list[_Kept] = []
    for each in chosen.inputs:
        key, lock, channels = each.rsplit("=", 2)
        kept.append(_Kept(chosen.folder, key, int(lock), int(channels)))

    def give_over(*_: object) -> None:
        for each in kept:
            with suppress(OSError):
                each.leave()
        # Whoever asked waits for the locks, and writes from then on.
        os._exit(0)

    signal.signal(signal.SIGTERM, give_over)
    print(flush=True)
    _keep(kept, stay=chosen.stay)


if __name__ == "__main__":
    main()
