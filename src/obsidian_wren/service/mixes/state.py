"""What runs of the mixes: the programs that listen, the clips that sound."""

from __future__ import annotations

from dataclasses import dataclass, field

from obsidian_wren.ports.world import Listener
from obsidian_wren.service.workshop import Remembered, Workshop
from obsidian_wren.voice.pads import Pads


@dataclass
class MixesState:
    """Programs by the key of their listener, the pads, and pictures and material of what is
    mixed."""

    programs: dict[str, Listener] = field(default_factory=dict)
    pads: Pads = field(default_factory=Pads)
    waveforms: Remembered = field(default_factory=lambda: Remembered(48))
    materials: Remembered = field(default_factory=lambda: Remembered(1))


def current(ws: Workshop) -> MixesState:
    """The mixes as they run."""
    return ws.own(MixesState)
