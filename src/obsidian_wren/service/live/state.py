"""What is live. Kept apart from what computes, so that asking for it loads nothing."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal, Protocol

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.world import PushedStream
from obsidian_wren.service.context import AppContext

if TYPE_CHECKING:
    from obsidian_wren.core.chain.stage import StageSpec
    from obsidian_wren.core.mix.block import BlockCost
    from obsidian_wren.core.mix.return_plan import ReturnPlan
    from obsidian_wren.service.live.voice_run import VoiceRun


class ListeningIn(Protocol):
    """Somebody listens in on a microphone: for what, at which rate, and whether it has ended."""

    rate_hz: int
    finished: threading.Event

    @property
    def purpose(self) -> Literal["rest", "talk"]:
        """What it is listened for."""
        ...

    def stop(self) -> None:
        """End it."""
        ...


class Headphones(Protocol):
    """What is heard in the headphones of what is live."""

    def hear(self, block: Samples) -> None:
        """Raw samples ``(n,)``."""
        ...

    def follow(self, whole: Mapping[str, StageSpec]) -> None:
        """Go over to another chain."""
        ...

    def leave_out(self, off: Sequence[str]) -> None:
        """Pass these stages over."""
        ...

    def close(self) -> None:
        """End it."""
        ...


class Pushed(Protocol):
    """What a page sends its microphone to."""

    def push(self, samples: Samples) -> None:
        """The next piece ``(n,)``."""
        ...


@dataclass
class LiveState:
    """The run with what it was begun from, the watch, and the headphones."""

    run: VoiceRun | None = None
    since: str | None = None
    pushed: Pushed | None = None
    block_costs: tuple[BlockCost, ...] = ()
    return_plans: dict[str, ReturnPlan] = field(default_factory=dict)
    watch: ListeningIn | None = None
    watched: PushedStream | None = None
    monitor: Headphones | None = None
    # What ends their hearing of the run.
    let_ears_go: Callable[[], None] | None = None

    def hear_aside(self, block: Samples) -> None:
        """Raw samples ``(n,)`` of what is live, for the headphones if they are on."""
        if self.monitor is not None:
            self.monitor.hear(block)

    @property
    def watching(self) -> ListeningIn | None:
        """The watch, None where nobody listens in."""
        return None if self.watch is None or self.watch.finished.is_set() else self.watch

    @property
    def running(self) -> VoiceRun | None:
        """The run, None where nothing is live."""
        return None if self.run is None or self.run.finished.is_set() else self.run


def current(app: AppContext) -> LiveState:
    """What is live now."""
    return app.own(LiveState)
