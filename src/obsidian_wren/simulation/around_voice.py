"""What is around a voice that is live in the simulated world: rigs, programs, what plays."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.ports.nothing import NoSystem
from obsidian_wren.ports.world import Controls, Listener, Player, PushedStream, SoundStream
from obsidian_wren.simulation.desk import Desk, Who
from obsidian_wren.simulation.listeners import StandInProgram
from obsidian_wren.simulation.players import Round, SecondMicrophone
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.world import SimulatedRig
from obsidian_wren.voice import records
from obsidian_wren.voice.engine import Voice

_MOST_OPENED = 5


class AroundVoice:
    """Implements :class:`obsidian_wren.voice.simulated.Simulated`."""

    def __init__(self) -> None:
        self._rigs: dict[str, SimulatedRig] = {}
        self._programs: dict[str, StandInProgram] = {}
        self._desk: Desk | None = None

    def open_rig(self, rig: records.SimulatedRigRecord, purpose: str = "talk") -> SoundStream:
        """What a rig hears, without end."""
        return self._rig(rig).open_live(purpose)

    def open_desk(
        self, first: records.SimulatedRigRecord, second: records.SimulatedRigRecord
    ) -> tuple[SoundStream, SoundStream]:
        """What two rigs at one desk hear."""
        # Their controls stay where they stood, whoever turns those of the rig in hand.
        beside = SimulatedRig(WorldSpec.model_validate_json(second.spec))
        beside.set(second.controls)
        self._desk = Desk(self._rig(first), beside)
        return self._desk.streams

    def let_talk(self, who: Who) -> None:
        """Who of the two talks from now on."""
        if self._desk is not None:
            self._desk.who = who

    def _rig(self, rig: records.SimulatedRigRecord) -> SimulatedRig:
        found = self._rigs.get(rig.spec)
        if found is None:
            if len(self._rigs) >= _MOST_OPENED:
                self._rigs.clear()
            found = SimulatedRig(WorldSpec.model_validate_json(rig.spec))
            self._rigs[rig.spec] = found
        found.set(rig.controls)
        return found

    def turn(self, controls: Controls) -> None:
        """Put the controls of every rig where they are said to stand."""
        for rig in self._rigs.values():
            rig.set(controls)

    def open_second(self, rate_hz: int) -> SoundStream:
        """A zither on the deck."""
        return SecondMicrophone(rate_hz)

    def open_player(self, kind: str, rate_hz: int) -> Player:
        """Music, or the computer's own sound."""
        return Round(kind, rate_hz)

    def set_program(self, seat: records.SeatRecord) -> Listener:
        """The program at a seat, as it is set."""
        asked = seat.program or records.Program()
        found = self._programs.get(seat.key)
        if found is None or found.kind != seat.kind:
            found = StandInProgram(seat.kind, seat.name, asked.settings)
            self._programs[seat.key] = found
        found.name, found.picks = seat.name, asked.picks
        found.set(asked.settings)
        return found

    def program(self, key: str) -> Listener | None:
        """The program of a listener."""
        return self._programs.get(key)


def simulated_voice(
    tell: Callable[[str, dict[str, Any]], None],
    folder: Path,
    open_pushed: Callable[[int], PushedStream],
    *,
    is_alone: bool,
) -> Voice:
    """A voice in the simulated world; ``is_alone``: it has a process of its own."""
    return Voice(
        NoSystem("simulated", _("Everything around this voice is simulated.")),
        tell,
        folder,
        open_pushed,
        simulated=AroundVoice(),
        is_alone=is_alone,
    )
