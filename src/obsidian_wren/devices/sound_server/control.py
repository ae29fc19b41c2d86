"""What the sound server knows and what it can be told: microphones, our inputs, who listens.

Every call is a connection of its own, so any thread may ask.
"""

from __future__ import annotations

import os
import stat
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.feed import PipeFeed
from obsidian_wren.devices.sound_server.microphone import Microphone
from obsidian_wren.service.ports import (
    FEED_HZ,
    NoSoundServer,
    SourceGone,
    SystemInput,
    SystemListener,
    SystemMicrophone,
)

_CLIENT = "Obsidian Wren"
_PREFIX = "obsidian_wren."
_PIPE_SOURCE = "module-pipe-source"
# PipeWire refuses less; PulseAudio reads at once whatever there is.
_PIPE_BYTES = {"PipeWire": 16_384, "PulseAudio": 4096}
_FULL_VOLUME = 1.0
_LISTEN_S = 0.5
_LOST = (NoSoundServer, pulsectl.PulseError, pulsectl.PulseDisconnected)
_RECONNECT_S = 0.5
_APPEARS_S, _LOOK_S = 5.0, 0.02


class SoundServer:
    """The sound server of this session. Every call raises NoSoundServer where none answers."""

    def __init__(self, *, folder: Path | None = None) -> None:
        self._folder = folder or _private_folder()

    @property
    def name(self) -> str:
        """Which one answers: “PulseAudio” or “PipeWire”."""
        with self._connected() as pulse:
            said = str(pulse.server_info().server_name)
        return "PipeWire" if "PipeWire" in said else "PulseAudio"

    def microphones(self) -> tuple[SystemMicrophone, ...]:
        """What can be recorded from: real ones and inputs of ours, no monitors."""
        with self._connected() as pulse:
            usual = pulse.server_info().default_source_name
            return tuple(
                _microphone(source, usual)
                for source in pulse.source_list()
                if source.monitor_of_sink_name is None
            )

    def open_microphone(
        self, name: str, *, rate_hz: int | None = None, block_s: float = 0.01
    ) -> Microphone:
        """Read a microphone, all its channels, at its own rate or as the server converts it. Raises
        SourceGone."""
        found = next((each for each in self.microphones() if each.name == name), None)
        if found is None:
            raise SourceGone(f"There is no microphone “{name}” now. Plug it in, then try again.")
        return Microphone(
            name, rate_hz=rate_hz or found.rate_hz, channels=found.channels, block_s=block_s
        )

    def ensure_input(self, key: str, title: str) -> PipeFeed:
        """A named input that any program can pick, and our end of it.

        What an earlier run left is taken over. It stands at full volume and is not muted.
        """
        name, path = _PREFIX + key, self._folder / f"{key}.pipe"
        kind = self.name
        with self._connected() as pulse:
            there = _source_named(pulse, name)
            if there is not None and not (_is_pipe(path) and there.description == _plain(title)):
                # Its pipe is lost, so nothing can reach it any more; or it has another name now.
                pulse.module_unload(there.owner_module)
                there = None
            if there is None:
                path.unlink(missing_ok=True)
                pulse.module_load(_PIPE_SOURCE, _arguments(name, title, path))
                there = _awaited(pulse, name)
            if there is None:
                raise NoSoundServer(
                    "no-input",
                    f"The sound server would not make the input “{title}”. Start it anew, then try"
                    " again.",
                )
            pulse.volume_set_all_chans(there, _FULL_VOLUME)
            pulse.mute(there, False)
        return PipeFeed(path, pipe_bytes=_PIPE_BYTES[kind])

    def inputs(self) -> tuple[SystemInput, ...]:
        """The inputs of ours that are there."""
        with self._connected() as pulse:
            return tuple(
                SystemInput(source.name.removeprefix(_PREFIX), source.description)
                for source in pulse.source_list()
                if source.name.startswith(_PREFIX)
            )

    def remove_input(self, key: str) -> None:
        """Take one of our inputs away; nothing where it is not there."""
        with self._connected() as pulse:
            there = _source_named(pulse, _PREFIX + key)
            if there is not None:
                pulse.module_unload(there.owner_module)
        (self._folder / f"{key}.pipe").unlink(missing_ok=True)

    def remove_inputs(self) -> None:
        """Take every input of ours away."""
        for one in self.inputs():
            self.remove_input(one.key)

    def listeners(self) -> tuple[SystemListener, ...]:
        """The programs that record now, and what each picked; ourselves left out."""
        with self._connected() as pulse:
            names = {source.index: source.name for source in pulse.source_list()}
            streams = pulse.source_output_list()
        return tuple(
            _listener(stream, names)
            for stream in streams
            if "application.name" in stream.proplist
            and stream.proplist.get("application.process.id") != str(os.getpid())
        )

    def move_listener(self, index: int, microphone: str) -> None:
        """Let a program hear another microphone. Its own menu goes on naming the old one.

        Raises SourceGone where either is no longer there.
        """
        with self._connected() as pulse:
            source = _source_named(pulse, microphone)
            if source is None:
                raise SourceGone(f"There is no microphone “{microphone}” now.")
            try:
                pulse.source_output_move(index, source.index)
            except pulsectl.PulseError as error:
                raise SourceGone("This program no longer records.") from error

    def make_default(self, microphone: str) -> None:
        """The microphone that programs get where nothing else is picked. Raises SourceGone."""
        with self._connected() as pulse:
            pulse.default_set(_needed(pulse, microphone))

    def set_volume(self, microphone: str, percent: float) -> None:
        """All its channels at one volume of the system, 100 for no change. Raises SourceGone."""
        with self._connected() as pulse:
            pulse.volume_set_all_chans(_needed(pulse, microphone), percent / 100.0)

    def set_muted(self, microphone: str, muted: bool) -> None:
        """Mute it in the system, or not. Raises SourceGone."""
        with self._connected() as pulse:
            pulse.mute(_needed(pulse, microphone), muted)

    def watch(self, changed: Callable[[], None]) -> Callable[[], None]:
        """Call ``changed`` from a thread whenever a microphone or a listener comes, goes or
        changes, and when the server goes or comes back; gives what ends it."""
        ended = threading.Event()

        def follow() -> None:
            while not ended.is_set():
                with suppress(*_LOST), self._connected() as pulse:
                    _follow(pulse, changed, ended)
                if not ended.wait(_RECONNECT_S):
                    changed()

        worker = threading.Thread(target=follow, name="sound server", daemon=True)
        worker.start()

        def end() -> None:
            ended.set()
            worker.join(2.0 * _LISTEN_S)

        return end

    @contextmanager
    def _connected(self) -> Iterator[Any]:
        if not libpulse.is_there():
            raise NoSoundServer(
                "no-library",
                "The library of the sound server is missing. Install Debian's libpulse0, then try"
                " again.",
            )
        try:
            pulse = pulsectl.Pulse(_CLIENT, connect=False)
            pulse.connect()
        except pulsectl.PulseError as error:
            raise NoSoundServer(
                "no-server",
                "No sound server answers in this session. Start PipeWire or PulseAudio, then try"
                " again.",
            ) from error
        with pulse:
            yield pulse


def _keep_rate(self: Any, struct: Any) -> None:
    # The package hands on a view of the library's own memory, which is gone a moment later.
    self.rate_hz = int(struct.sample_spec.rate)


pulsectl.PulseSourceInfo._init_from_struct = _keep_rate


def _follow(pulse: Any, changed: Callable[[], None], ended: threading.Event) -> None:
    seen = threading.Event()

    def came(_: object) -> None:
        seen.set()
        raise pulsectl.PulseLoopStop

    pulse.event_mask_set("source", "source_output", "server")
    pulse.event_callback_set(came)
    while not ended.is_set():
        pulse.event_listen(timeout=_LISTEN_S)
        if seen.is_set():
            seen.clear()
            changed()


def _needed(pulse: Any, name: str) -> Any:
    source = _source_named(pulse, name)
    if source is None:
        raise SourceGone(f"There is no microphone “{name}” now. Plug it in, then try again.")
    return source


def _source_named(pulse: Any, name: str) -> Any:
    return next((source for source in pulse.source_list() if source.name == name), None)


def _awaited(pulse: Any, name: str) -> Any:
    """A source that was just asked for: PipeWire answers before it is there."""
    end = time.monotonic() + _APPEARS_S
    while (there := _source_named(pulse, name)) is None and time.monotonic() < end:
        time.sleep(_LOOK_S)
    return there


def _microphone(source: Any, usual: str) -> SystemMicrophone:
    return SystemMicrophone(
        source.name,
        source.description,
        source.rate_hz,
        source.channel_count,
        100.0 * max(source.volume.values),
        bool(source.mute),
        source.name == usual,
        source.name.startswith(_PREFIX),
    )


def _listener(stream: Any, names: dict[int, str]) -> SystemListener:
    told = stream.proplist
    process = told.get("application.process.id", "")
    source = names.get(stream.source)
    return SystemListener(
        stream.index,
        told["application.name"],
        int(process) if process.isdigit() else None,
        source,
        source is not None and source.startswith(_PREFIX),
        100.0 * max(stream.volume.values) if stream.volume.values else 100.0,
        bool(stream.mute),
    )


def _arguments(name: str, title: str, path: Path) -> str:
    return (
        f"source_name={name} file='{path}' format=float32le rate={FEED_HZ} channels=1"
        f" source_properties='device.description=\"{_plain(title)}\"'"
    )


def _plain(title: str) -> str:
    """Without what would end the nested quotes of a module's arguments early."""
    return "".join(sign for sign in title if sign.isprintable() and sign not in "\\'\"")


def _is_pipe(path: Path) -> bool:
    try:
        return stat.S_ISFIFO(path.stat().st_mode)
    except OSError:
        return False


def _private_folder() -> Path:
    """Where the pipes lie: the server makes them open to everybody, so nobody else may come in."""
    session = os.environ.get("XDG_RUNTIME_DIR")
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    folder = Path(session or state) / "obsidian-wren"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    folder.chmod(0o700)
    return folder
