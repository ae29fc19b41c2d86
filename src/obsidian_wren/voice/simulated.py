"""What is asked of a world that is simulated, by a voice that is live in it."""

from __future__ import annotations

from typing import Literal, Protocol

from obsidian_wren.ports.world import Controls, Listener, Player, SoundStream
from obsidian_wren.voice import records


class Simulated(Protocol):
    """In the place of this computer's microphones, programs and what plays."""

    def open_rig(self, rig: records.SimulatedRigRecord, purpose: str = "talk") -> SoundStream:
        """What a rig hears, without end, its controls followed as they turn."""
        ...

    def open_desk(
        self, first: records.SimulatedRigRecord, second: records.SimulatedRigRecord
    ) -> tuple[SoundStream, SoundStream]:
        """What two rigs at one desk hear, each of its own person and of the other, at the first
        one's rate."""
        ...

    def let_talk(self, who: Literal["voice", "person", "both"]) -> None:
        """Who of the two talks from now on."""
        ...

    def turn(self, controls: Controls) -> None:
        """Put the controls of every rig that was opened where they are said to stand."""
        ...

    def open_second(self, rate_hz: int) -> SoundStream:
        """A second microphone, without end."""
        ...

    def open_player(self, kind: str, rate_hz: int) -> Player:
        """Music, or the computer's own sound."""
        ...

    def set_program(self, seat: records.SeatRecord) -> Listener:
        """The program at a seat, as it is set and with what it picked; what it heard before it
        keeps."""
        ...

    def program(self, key: str) -> Listener | None:
        """The program of a listener, None where there was none yet."""
        ...
