"""How long a block is and how much waits behind it, from what blocks cost on this machine.

A block has to be through before the next one is due; what else the machine does comes on top, so a
block may cost less than half of its own time (practice of real-time audio: twice the usual cost in
reserve).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

# The least that waits at a listener behind a block, s: it also follows the clock of the listener.
WAITING_S = 0.01
# Under ten the interpreter itself, which answers pages beside the run, takes a share of each.
BLOCKS_MS = (10.0, 20.0, 40.0)
# What a person may choose instead, ms.
BLOCK_RANGE_MS = (2.0, 100.0)
BUFFER_RANGE_MS = (5.0, 200.0)
_MOST_SHARE = 0.4
# Over this share of one core a run has no reserve for what else the machine does.
MOST_LOAD = 0.7
_LEAST_BUFFER_MS, _MOST_BUFFER_MS = 1000.0 * WAITING_S, 60.0
_BUFFER_STEP_MS = 5.0
# So many gaps in so long are no chance; so long without any, the smaller block is tried again.
_MANY, _WATCHED_S = 2, 10.0
_CALM_S, _MOST_CALM_S = 60.0, 960.0
# A block may come twice as late as it did in the rehearsal.
_RESERVE = 2.0


@dataclass(frozen=True)
class BlockCost:
    """The share of a block's own time that it takes to compute, and by how much it outlasts the
    usual block, ms; both in nineteen of twenty cases."""

    block_ms: float
    share: float
    late_ms: float


def choose_block(
    rehearse: Callable[[float], BlockCost], blocks_ms: Sequence[float] = BLOCKS_MS
) -> tuple[BlockCost, ...]:
    """The cost of each size that was tried, the one to take last: the shortest that leaves the
    machine enough time, or the longest. ``rehearse`` gives the cost of a size in ms."""
    tried: list[BlockCost] = []
    for block_ms in blocks_ms:
        tried.append(rehearse(block_ms))
        if tried[-1].share <= _MOST_SHARE:
            break
    return tuple(tried)


class BlockWatch:
    """Which size a block has from now on, by the gaps that come while it runs.

    It is told how many there were so far, at times in seconds. Larger after two within ten seconds,
    back to the smaller one after a minute without, and each next time after twice as long, up to a
    quarter of an hour.
    """

    def __init__(self, block_ms: float) -> None:
        self.block_ms = block_ms
        self._gaps, self._lost_s = 0, list[float]()
        self._since_s: float | None = None
        self._calm_s = _CALM_S

    def see(self, gaps: int, at_s: float) -> float:
        """The size in ms from now on."""
        if self._since_s is None:
            self._since_s = at_s
        new, self._gaps = gaps - self._gaps, gaps
        self._lost_s = [s for s in self._lost_s if at_s - s < _WATCHED_S] + [at_s] * min(new, 2)
        if new:
            self._since_s = at_s
        if len(self._lost_s) >= _MANY and (larger := _next_to(self.block_ms, up=True)):
            self.block_ms = larger
            self._lost_s = []
        elif at_s - self._since_s >= self._calm_s and (
            smaller := _next_to(self.block_ms, up=False)
        ):
            self.block_ms = smaller
            self._calm_s = min(2.0 * self._calm_s, _MOST_CALM_S)
            self._since_s = at_s
        return self.block_ms


def _next_to(block_ms: float, *, up: bool) -> float | None:
    found = [each for each in BLOCKS_MS if (each > block_ms if up else each < block_ms)]
    return None if not found else min(found) if up else max(found)


def load_mark(load: float) -> Literal["good", "fault"]:
    """Whether a run leaves the machine enough time: its share of one core, of its own pace.

    ``load`` between 0 and 1.
    """
    return "fault" if load > MOST_LOAD else "good"


def buffer_ms(cost: BlockCost | None) -> float:
    """What waits at each listener beyond a block, ms: twice as much as a slow block was late, in
    steps of 5 ms; the least of it also follows the listener's clock."""
    late = 0.0 if cost is None else _RESERVE * cost.late_ms
    stepped = _BUFFER_STEP_MS * np.ceil(late / _BUFFER_STEP_MS)
    return float(np.clip(stepped, _LEAST_BUFFER_MS, _MOST_BUFFER_MS))
