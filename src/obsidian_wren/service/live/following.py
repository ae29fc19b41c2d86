"""What is live follows what others change: the chain, the mixes."""

from __future__ import annotations

from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes.events import MixesChanged


def follow(app: AppContext) -> None:
    """Follow from now on, and let the headphones go when the program ends."""
    live = current(app)

    def to_chain(event: ChainChanged) -> None:
        if live.run is not None:
            live.run.change_chain(event.specs)
        if live.monitor is not None:
            live.monitor.follow(dict(zip(event.keys, event.specs, strict=True)))

    def to_mixes(event: MixesChanged) -> None:
        if live.running is not None:
            live.running.change_mixes(event.mixes, dict(event.inputs))

    def let_go() -> None:
        if live.monitor is not None:
            live.monitor.close()

    app.follow(ChainChanged, to_chain)
    app.follow(MixesChanged, to_mixes)
    app.at_end(let_go)
