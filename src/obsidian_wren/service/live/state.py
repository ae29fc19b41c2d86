"""What is live. Kept apart from what computes, so that asking for it loads nothing."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service.ports import PushedStream
from obsidian_wren.service.workshop import Workshop

if TYPE_CHECKING:
    from obsidian_wren.core.mix.block import BlockCost
    from obsidian_wren.core.mix.returns import ReturnPlan
    from obsidian_wren.service.live.monitor import LiveMonitor
    from obsidian_wren.service.live.run import LiveRun
    from obsidian_wren.service.live.watching import Watch


@dataclass
class LiveState:
    """The run with what it was begun from, the watch, and the headphones."""

    run: LiveRun | None = None
    since: str | None = None
    pushed: PushedStream | None = None
    block_costs: tuple[BlockCost, ...] = ()
    return_plans: dict[str, ReturnPlan] = field(default_factory=dict)
    watch: Watch | None = None
    watched: PushedStream | None = None
    monitor: LiveMonitor | None = None
    # A marker is about to be sent: the inputs are listened to first.
    listening: bool = False

    def hear_aside(self, block: Samples) -> None:
        """Raw samples ``(n,)`` of what is live, for the headphones if they are on."""
        if self.monitor is not None:
            self.monitor.hear(block)

    @property
    def watching(self) -> Watch | None:
        """The watch, None where nobody listens in."""
        return None if self.watch is None or self.watch.finished.is_set() else self.watch

    @property
    def running(self) -> LiveRun | None:
        """The run, None where nothing is live."""
        return None if self.run is None or self.run.finished.is_set() else self.run


def current(ws: Workshop) -> LiveState:
    """What is live now."""
    return ws.own(LiveState)
