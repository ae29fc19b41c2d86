"""Who is there to hear and to be heard, and the mix that each gets."""

from __future__ import annotations

from dataclasses import dataclass, field

from obsidian_wren.service.context import AppContext, Cache


@dataclass
class MixesState:
    """Pictures and material of what is mixed."""

    waveforms: Cache = field(default_factory=lambda: Cache(48))
    materials: Cache = field(default_factory=lambda: Cache(1))


def current(app: AppContext) -> MixesState:
    """The mixes as they run."""
    return app.own(MixesState)


__all__ = ["current"]
