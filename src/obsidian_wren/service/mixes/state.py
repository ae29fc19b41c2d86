"""What is remembered of the mixes."""

from __future__ import annotations

from dataclasses import dataclass, field

from obsidian_wren.service.context import AppContext, Remembered


@dataclass
class MixesState:
    """Pictures and material of what is mixed."""

    waveforms: Remembered = field(default_factory=lambda: Remembered(48))
    materials: Remembered = field(default_factory=lambda: Remembered(1))


def current(app: AppContext) -> MixesState:
    """The mixes as they run."""
    return app.own(MixesState)
