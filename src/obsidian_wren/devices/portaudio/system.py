"""PortAudio behind the port of the system's sound: microphones are read, outputs are played to.

Inputs of our own it cannot make: a feed plays into a loopback device that the person has, whose
name the feed is given.

Source: PortAudio's list of devices, through ``sounddevice``. Other programs are not seen by it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.sound_device import DeviceField, SoundDevice
from obsidian_wren.core.mix.channels import wide
from obsidian_wren.core.wording import _
from obsidian_wren.devices.portaudio.streams import PortMicrophone, PortOutput
from obsidian_wren.ports.system_sound import (
    FEED_HZ,
    NoSoundServer,
    Surroundings,
    SystemFeed,
    SystemInput,
    SystemListener,
)
from obsidian_wren.ports.world import SourceGone

_NOT_HERE = _(
    "PortAudio cannot change system settings. Change them in the system’s own sound settings."
)
# A device that converts whatever is asked claims more channels than any microphone has.
_MOST_CHANNELS = 8


class PortAudioSystem:
    """What PortAudio can do; ``library`` is ``sounddevice`` or what looks like it."""

    def __init__(self, library: Any) -> None:
        self._library = library
        self._seen = Surroundings()
        self._fed: dict[str, str] = {}

    @property
    def seen(self) -> Surroundings:
        """The devices as they were last looked at; who listens is not known."""
        return self._seen

    def look(self) -> bool:
        """Look again; whether anything is different. Never raises."""
        try:
            new = Surroundings(server="PortAudio", devices=_devices(self._library))
        except Exception as error:
            new = Surroundings(
                missing=(
                    "no-portaudio",
                    _("PortAudio does not answer ({error}). Install it again.", error=error),
                )
            )
        changed = new != self._seen
        self._seen = new
        return changed

    def watch(self, changed: Callable[[], None]) -> Callable[[], None]:
        """PortAudio tells of no change; devices are those of the start."""
        return lambda: None

    def open_microphone(
        self,
        name: str,
        *,
        rate_hz: int | None = None,
        channels: int | None = None,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> PortMicrophone:
        """Read a microphone. Raises SourceGone."""
        device = self._device(name, "input")
        return PortMicrophone(
            self._library,
            _number(device),
            rate_hz=rate_hz or device.rate_hz,
            channels=min(device.channels, channels or _MOST_CHANNELS),
            block_s=block_s,
            patience_s=patience_s,
        )

    def open_output(self, name: str, *, rate_hz: int, channels: int) -> PortOutput:
        """Play to an output. Raises SourceGone."""
        device = self._device(name, "output")
        return PortOutput(self._library, _number(device), rate_hz=rate_hz, channels=channels)

    def set_device(self, device_id: str, field: DeviceField, value: float | bool) -> None:
        """Nothing can be set."""
        raise NoSoundServer("not-settable", _NOT_HERE)

    def input_name(self, key: str) -> str:
        """Where what is played into the loopback device of a feed is recorded."""
        name = self._fed.get(key)
        found = (
            device.id
            for device in self._seen.devices
            if device.direction == "input" and device.system_name == name
        )
        return next(found, "")

    def ensure_input(self, key: str, title: str, channels: int = 1) -> LoopbackFeed:
        """A feed into the loopback device that has the feed's name. Raises NoSoundServer where
        there is none."""
        found = next(
            (
                device
                for device in self._seen.devices
                if device.direction == "output" and title in device.system_name
            ),
            None,
        )
        if found is None:
            raise NoSoundServer(
                "no-loopback",
                _(
                    "This system cannot create inputs. Install a loopback device, then give"
                    " this feed its name; “{title}” is not one.",
                    title=title,
                ),
            )
        self._fed[key] = found.system_name
        output = PortOutput(self._library, _number(found), rate_hz=FEED_HZ, channels=2)
        return LoopbackFeed(output, channels)

    def listed_as(self, title: str) -> str:
        """As it is."""
        return title

    def keeps_input(self, key: str, title: str, channels: int = 1) -> bool:
        """A loopback device is there whether we play to it or not."""
        return True

    def relieve_input(self, key: str) -> None:
        """Nobody keeps a loopback device."""

    def hand_over(self, feeds: Mapping[str, SystemFeed], *, stay: bool) -> set[str]:
        """A loopback device is silent by itself when nobody plays to it."""
        return set()

    def take_back(self) -> tuple[tuple[SystemListener, SystemInput], ...]:
        """Other programs are not seen."""
        return ()

    def inputs(self) -> tuple[SystemInput, ...]:
        """The loopback devices in use."""
        return tuple(SystemInput(key, name) for key, name in self._fed.items())

    def remove_input(self, key: str) -> None:
        """The loopback device stays; it is no longer played to."""
        self._fed.pop(key, None)

    def move_listener(self, index: int, microphone: str) -> None:
        """Other programs are not seen."""
        raise NoSoundServer("not-seen", _NOT_HERE)

    def ensure_output(self, key: str, title: str) -> str:
        """No output can be made."""
        raise NoSoundServer("no-output", _NOT_HERE)

    def remove_output(self, key: str) -> None:
        """There is none."""

    def monitor_of(self, output: str) -> str:
        """Outputs have none here, so opening one says that it is not there."""
        return f"{output}.monitor"

    def move_output(self, index: int, output: str) -> None:
        """Other programs are not seen."""
        raise NoSoundServer("not-seen", _NOT_HERE)

    def _device(self, name: str, direction: str) -> SoundDevice:
        for device in self._seen.devices:
            if device.id == name and device.direction == direction:
                return device
        raise SourceGone(
            _("This device is not connected. Plug it in, then start the program again.")
        )


class LoopbackFeed:
    """A loopback device that is played to: whoever records its other end hears it."""

    def __init__(self, output: PortOutput, channels: int) -> None:
        self._output, self.channels = output, channels

    @property
    def is_whole(self) -> bool:
        """Whether the device is still there."""
        return not self._output.is_gone

    @property
    def gaps(self) -> int:
        """How often the device had nothing to play."""
        return self._output.missed

    @property
    def unread_s(self) -> float:
        """The device takes everything, whether anyone records its other end or not."""
        return 0.0

    @property
    def held_up(self) -> tuple[()]:
        """No server stands between."""
        return ()

    @property
    def delay_s(self) -> float:
        """What waits at the device, seconds."""
        return self._output.delay_s

    def write(self, block: Samples, *, as_it_is: bool = False) -> None:
        """The next ``(n,)`` or ``(n, channels)`` samples at ``FEED_HZ``; never waits."""
        self._output.write(wide(block, self._output.channels))

    def close(self) -> None:
        """Leave it; who listens hears silence."""
        self._output.close()


def _devices(library: Any) -> tuple[SoundDevice, ...]:
    usual = [int(number) for number in library.default.device]
    found = []
    for number, each in enumerate(library.query_devices()):
        for place, direction in enumerate(("input", "output")):
            channels = int(each[f"max_{direction}_channels"])
            if channels:
                found.append(_device(number, each, direction, channels, number == usual[place]))
    return tuple(found)


def _device(number: int, each: Any, direction: Any, channels: int, is_usual: bool) -> SoundDevice:
    return SoundDevice(
        id=f"{direction}-{number}",
        system_name=str(each["name"]),
        direction=direction,
        present=True,
        enabled=True,
        rate_hz=int(each["default_samplerate"]),
        bits=24,
        slider_percent=100.0,
        muted=False,
        enhancements=False,
        auto_gain=False,
        channels=channels,
        is_default=is_usual,
        is_default_for_calls=is_usual,
        port=str(each["name"]),
        kind="interface" if direction == "input" else "headphones",
        settable=frozenset(),
    )


def _number(device: SoundDevice) -> int:
    return int(device.id.rpartition("-")[2])
