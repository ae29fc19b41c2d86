"""No way to the sound of this system: says why, and what to install."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NoReturn

from obsidian_wren.core.derive.sound_device import DeviceField
from obsidian_wren.ports.system_sound import (
    NoSoundServer,
    Surroundings,
    SystemFeed,
    SystemInput,
    SystemListener,
)


class NoSystem:
    """In the place of a sound server where there is none; every call raises NoSoundServer."""

    def __init__(self, code: str, sentence: str) -> None:
        self._why = (code, sentence)

    @property
    def seen(self) -> Surroundings:
        """Nothing, and why."""
        return Surroundings(missing=self._why)

    def look(self) -> bool:
        """Nothing changes."""
        return False

    def watch(self, changed: Callable[[], None]) -> Callable[[], None]:
        """Nothing is told."""
        return lambda: None

    def open_microphone(
        self,
        name: str,
        *,
        rate_hz: int | None = None,
        channels: int | None = None,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> NoReturn:
        """Not here."""
        self._refuse()

    def open_output(self, name: str, *, rate_hz: int, channels: int) -> NoReturn:
        """Not here."""
        self._refuse()

    def set_device(self, device_id: str, field: DeviceField, value: float | bool) -> NoReturn:
        """Not here."""
        self._refuse()

    def input_name(self, key: str) -> str:
        """No name."""
        return ""

    def ensure_input(self, key: str, title: str, channels: int = 1) -> NoReturn:
        """Not here."""
        self._refuse()

    def listed_as(self, title: str) -> str:
        """As it is."""
        return title

    def keeps_input(self, key: str, title: str, channels: int = 1) -> bool:
        """There is none."""
        return False

    def relieve_input(self, key: str) -> None:
        """There is none."""

    def hand_over(self, feeds: Mapping[str, SystemFeed], *, stay: bool) -> set[str]:
        """There is none."""
        return set()

    def take_back(self) -> tuple[tuple[SystemListener, SystemInput], ...]:
        """Nobody is seen."""
        return ()

    def inputs(self) -> tuple[SystemInput, ...]:
        """None."""
        return ()

    def remove_input(self, key: str) -> None:
        """There is none."""

    def move_listener(self, index: int, microphone: str) -> NoReturn:
        """Not here."""
        self._refuse()

    def ensure_output(self, key: str, title: str) -> NoReturn:
        """Not here."""
        self._refuse()

    def remove_output(self, key: str) -> None:
        """There is none."""

    def monitor_of(self, output: str) -> str:
        """No output, so no monitor that could be opened."""
        return output

    def move_output(self, index: int, output: str) -> NoReturn:
        """Not here."""
        self._refuse()

    def _refuse(self) -> NoReturn:
        raise NoSoundServer(*self._why)
