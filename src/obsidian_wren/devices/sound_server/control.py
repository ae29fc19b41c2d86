"""What the sound server knows and what it can be told: devices, our inputs, who listens.

Every call is a connection of its own, so any thread may ask.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.core.derive.sound_device import DeviceField
from obsidian_wren.core.wording import _
from obsidian_wren.devices.sound_server import described, inputs
from obsidian_wren.devices.sound_server.connection import (
    LOST,
    connected,
    needed,
    server_name,
    sink_named,
    source_named,
)
from obsidian_wren.devices.sound_server.described import PREFIX
from obsidian_wren.devices.sound_server.feed import PipeFeed
from obsidian_wren.devices.sound_server.microphone import ServerMicrophone
from obsidian_wren.devices.sound_server.output import SystemOutput
from obsidian_wren.devices.sound_server.picks import Picks
from obsidian_wren.devices.sound_server.private import private_folder
from obsidian_wren.ports.system_sound import (
    NoSoundServer,
    Surroundings,
    SystemFeed,
    SystemInput,
    SystemListener,
    SystemMicrophone,
    SystemPlayer,
)
from obsidian_wren.ports.world import SourceGone

_LISTEN_S = 0.5
_LOOK_AGAIN_S = 0.3
_RECONNECT_S = 0.5


class SoundServer:
    """The sound server of this session. Every call raises NoSoundServer where none answers."""

    def __init__(self, *, folder: Path | None = None) -> None:
        self._folder = folder or private_folder()
        self._seen = Surroundings()
        self._seen_s = 0.0
        self._looking = threading.Lock()
        self._picks = Picks(self._folder / "picks.json")

    @property
    def name(self) -> str:
        """Which one answers: “PulseAudio” or “PipeWire”."""
        with connected() as pulse:
            return server_name(pulse)

    @property
    def seen(self) -> Surroundings:
        """The computer as it was last looked at."""
        return self._seen

    def look(self) -> bool:
        """Look again; whether anything is different. Never raises."""
        with self._looking:
            began_s = time.monotonic()
            try:
                new = _surroundings()
            except NoSoundServer as error:
                new = Surroundings(missing=(error.code, str(error)))
            except LOST:
                # It went while it was asked.
                new = Surroundings(
                    missing=("no-server", _("The sound server stopped. Start it again."))
                )
            changed = new != self._seen
            self._seen, self._seen_s = new, began_s
        return changed

    def microphones(self) -> tuple[SystemMicrophone, ...]:
        """What can be recorded from: real ones and inputs of ours, no monitors."""
        with connected() as pulse:
            usual = pulse.server_info().default_source_name
            return tuple(
                described.microphone(source, usual)
                for source in pulse.source_list()
                if source.monitor_of_sink_name is None
            )

    def open_microphone(
        self,
        name: str,
        *,
        rate_hz: int | None = None,
        channels: int | None = None,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> ServerMicrophone:
        """Read a microphone or a monitor, all its channels, at its own rate or as the server
        converts it. Raises SourceGone."""
        with connected() as pulse:
            found = source_named(pulse, name)
        if found is None:
            raise SourceGone(
                _(
                    "The microphone “{name}” is not there now. Plug it in, then try again.",
                    name=name,
                )
            )
        return ServerMicrophone(
            name,
            rate_hz=rate_hz or found.rate_hz,
            # One of the servers makes fewer of them by mixing.
            channels=found.channel_count,
            block_s=block_s,
            patience_s=patience_s,
        )

    def open_output(self, name: str, *, rate_hz: int, channels: int) -> SystemOutput:
        """Play to an output. Raises SourceGone."""
        return SystemOutput(name, rate_hz=rate_hz, channels=channels)

    def input_name(self, key: str) -> str:
        """The name by which the server knows an input of ours."""
        return PREFIX + key

    def ensure_input(self, key: str, title: str, channels: int = 1) -> PipeFeed:
        """A named input that any program can pick, and our end of it."""
        made = inputs.ensure_input(self._folder, key, title, channels)
        self._picks.expect_moves()
        return made

    def listed_as(self, title: str) -> str:
        """What programs list an input of this title as."""
        return inputs.listed_as(title, self._seen.server or "")

    def keeps_input(self, key: str, title: str, channels: int = 1) -> bool:
        """Whether what is there of an input would be taken over as it is."""
        return inputs.keeps_input(self._folder, key, title, channels)

    def relieve_input(self, key: str) -> None:
        """End what keeps an input for those who record it; the input stays."""
        inputs.relieve_input(self._folder, key)

    def hand_over(self, feeds: Mapping[str, SystemFeed], *, stay: bool) -> set[str]:
        """Let a process of its own keep the inputs that programs record now, or all of them where
        they are to ``stay``; returns their keys. Feeds have to be closed all the same."""
        pipes = {key: feed for key, feed in feeds.items() if isinstance(feed, PipeFeed)}
        return inputs.hand_over(self._folder, pipes, stay=stay)

    def take_back(self) -> tuple[tuple[SystemListener, SystemInput], ...]:
        """Ask for those who recorded an input of ours until the server moved them elsewhere to be
        on it again, until they are; returns who is, and the input. Of what was looked at last, and
        anew while programs are moved: a busy server tells nobody."""
        if self._picks.are_moving and time.monotonic() - self._seen_s > _LOOK_AGAIN_S:
            self.look()
        with self._looking:
            seen = self._seen
            usual = next(
                (one.id for one in seen.devices if one.direction == "input" and one.is_default),
                None,
            )
            moved = self._picks.look(seen.listeners, usual, self._seen_s)
            for listener, feed in moved.to_ask:
                with suppress(SourceGone, *LOST):
                    # What it was asked already is no news to a server.
                    self._move(listener.index, str(listener.microphone))
                    self._move(listener.index, feed)
            titles = {one.id: one.system_name for one in seen.devices}
        return tuple(
            (listener, SystemInput(feed.removeprefix(PREFIX), titles.get(feed, feed)))
            for listener, feed in moved.back
        )

    def inputs(self) -> tuple[SystemInput, ...]:
        """The inputs of ours that are there."""
        return inputs.inputs()

    def remove_input(self, key: str) -> None:
        """Take one of our inputs away; nothing where it is not there."""
        inputs.remove_input(self._folder, key)

    def remove_inputs(self) -> None:
        """Take every input of ours away."""
        for one in self.inputs():
            self.remove_input(one.key)

    def ensure_output(self, key: str, title: str) -> str:
        """An output of ours that plays nowhere, for a return; gives its name."""
        return inputs.ensure_output(key, title)

    def remove_output(self, key: str) -> None:
        """Take one of our outputs away."""
        inputs.remove_output(key)

    def monitor_of(self, output: str) -> str:
        """The name by which what an output plays is opened like a microphone."""
        return f"{output}.monitor"

    def listeners(self) -> tuple[SystemListener, ...]:
        """The programs that record now, and what each picked; ourselves left out."""
        with connected() as pulse:
            return _listeners(pulse)

    def players(self) -> tuple[SystemPlayer, ...]:
        """The programs that play now, and where; ourselves left out."""
        with connected() as pulse:
            return _players(pulse)

    def move_listener(self, index: int, microphone: str) -> None:
        """Let a program hear another microphone. Its own menu goes on naming the old one.

        Raises SourceGone where either is no longer there.
        """
        with self._looking:
            picked = next((one for one in self._seen.listeners if one.index == index), None)
            if picked is not None and microphone.startswith(PREFIX):
                self._picks.picked(picked, microphone)
        self._move(index, microphone)

    def _move(self, index: int, microphone: str) -> None:
        with connected() as pulse:
            source = source_named(pulse, microphone)
            if source is None:
                raise SourceGone(
                    _("The microphone “{microphone}” is not there now.", microphone=microphone)
                )
            try:
                pulse.source_output_move(index, source.index)
            except pulsectl.PulseError as error:
                raise SourceGone(_("This program no longer records.")) from error

    def move_output(self, index: int, output: str) -> None:
        """Let a program play to another output. Raises SourceGone."""
        with connected() as pulse:
            sink = sink_named(pulse, output)
            if sink is None:
                raise SourceGone(_("The output “{output}” is not there now.", output=output))
            try:
                pulse.sink_input_move(index, sink.index)
            except pulsectl.PulseError as error:
                raise SourceGone(_("This program no longer plays.")) from error

    def make_default(self, device: str) -> None:
        """The microphone or output that programs get where nothing else is picked. Raises
        SourceGone."""
        with connected() as pulse:
            pulse.default_set(needed(pulse, device))

    def set_volume(self, device: str, percent: float) -> None:
        """All its channels at one volume of the system, 100 for no change. Raises SourceGone."""
        with connected() as pulse:
            pulse.volume_set_all_chans(needed(pulse, device), percent / 100.0)

    def set_muted(self, device: str, muted: bool) -> None:
        """Mute it in the system, or not. Raises SourceGone."""
        with connected() as pulse:
            pulse.mute(needed(pulse, device), muted)

    def set_device(self, device_id: str, field: DeviceField, value: float | bool) -> None:
        """Set one thing of a device. Raises SourceGone, NoSoundServer for what no program may
        set."""
        if field == "is_default" and value:
            self.make_default(device_id)
        elif field == "slider_percent":
            self.set_volume(device_id, float(value))
        elif field == "muted":
            self.set_muted(device_id, bool(value))
        else:
            raise NoSoundServer(
                "not-settable",
                _(
                    "The sound server lets no program change this. Change it in the sound"
                    " settings of the system."
                ),
            )

    def watch(self, changed: Callable[[], None]) -> Callable[[], None]:
        """Call ``changed`` from a thread whenever a device, a listener or a player comes, goes or
        changes, and when the server goes or comes back; gives what ends it."""
        ended = threading.Event()

        def follow() -> None:
            while not ended.is_set():
                with suppress(*LOST), connected() as pulse:
                    _follow(pulse, changed, ended)
                if not ended.wait(_RECONNECT_S):
                    changed()

        worker = threading.Thread(target=follow, name="sound server", daemon=True)
        worker.start()

        def end() -> None:
            ended.set()
            worker.join(2.0 * _LISTEN_S)

        return end


def _surroundings() -> Surroundings:
    with connected() as pulse:
        modules = {each.index: each.name for each in pulse.module_list()}
        while True:
            info = pulse.server_info()
            found = described.devices(pulse.source_list(), pulse.sink_list(), modules, info)
            listeners, players = _listeners(pulse), _players(pulse)
            # Whoever a server moved is known by the default of that same moment.
            if pulse.server_info().default_source_name == info.default_source_name:
                return Surroundings(server_name(pulse), None, found, listeners, players)


def _listeners(pulse: Any) -> tuple[SystemListener, ...]:
    names = {source.index: source.name for source in pulse.source_list()}
    return tuple(
        described.listener(stream, names) for stream in _others(pulse.source_output_list())
    )


def _players(pulse: Any) -> tuple[SystemPlayer, ...]:
    names = {sink.index: sink.name for sink in pulse.sink_list()}
    return tuple(described.player(stream, names) for stream in _others(pulse.sink_input_list()))


def _others(streams: Any) -> list[Any]:
    return [stream for stream in streams if described.is_a_program(stream.proplist)]


def _follow(pulse: Any, changed: Callable[[], None], ended: threading.Event) -> None:
    seen = threading.Event()

    def came(_: object) -> None:
        seen.set()
        raise pulsectl.PulseLoopStop

    pulse.event_mask_set("source", "source_output", "sink", "sink_input", "server")
    pulse.event_callback_set(came)
    # What happened before anybody listened.
    changed()
    while not ended.is_set():
        pulse.event_listen(timeout=_LISTEN_S)
        if seen.is_set():
            seen.clear()
            changed()
