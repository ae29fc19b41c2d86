"""What a block costs on this machine: the run's own stages and mixes over a moment of loud noise, before anybody listens."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.edge import WAITING_S, Edge
from obsidian_wren.core.mix.engine import Mix, MixEngine

# Under ten the interpreter itself, which answers pages beside the run, takes a share of each.
BLOCKS_MS = (10.0, 20.0, 40.0)
# As late as a block may be in nineteen of twenty cases: what else the machine does comes on top.
_MOST_SHARE = 0.4
_ROUNDS = 40
_LEAST_BUFFER_MS, _MOST_BUFFER_MS = 1000.0 * WAITING_S, 60.0
_SHARE_AT = 95.0


@dataclass(frozen=True)
class BlockCost:
    """The share of a block's own time that it takes to compute, and by how much it outlasts the usual block, ms; both in nineteen of
    twenty cases."""

    block_ms: float
    share: float
    late_ms: float


def rehearse(
    specs: Sequence[StageSpec], mixes: Sequence[Mix], ducking: Ducking, *, rate_hz: int, block_ms: float
) -> BlockCost:  # fmt: skip
    """Run so many blocks; what loads with the first ones has loaded then."""
    count = round(block_ms / 1000.0 * rate_hz)
    chain, engine = VoiceChain(specs, rate_hz), MixEngine(mixes, over="voice treated", ducking=ducking, rate_hz=rate_hz)
    edges = {mix.listener: Edge(from_hz=rate_hz, to_hz=rate_hz, channels=mix.channels) for mix in mixes}
    names = {send.signal for mix in mixes for send in mix.sends}
    noise = np.random.default_rng(3).standard_normal(count) * 0.5
    took = []
    for _ in range(_ROUNDS):
        at = time.perf_counter()
        treated = chain.process(noise)
        mixed = engine.process({name: treated for name in names})
        for key, block in mixed.items():
            edges[key].push(block)
            edges[key].pull(count)
        took.append(time.perf_counter() - at)
    took_ms = 1000.0 * np.array(took[len(took) // 4 :])
    slow_ms = float(np.percentile(took_ms, _SHARE_AT))
    return BlockCost(block_ms, slow_ms / block_ms, slow_ms - float(np.median(took_ms)))


def buffer_ms(cost: BlockCost | None) -> float:
    """What waits at each listener beyond a block: twice as much as a slow block was late, in steps of 5 ms; the least of it also
    follows the listener's clock."""
    late = 0.0 if cost is None else 2.0 * cost.late_ms
    return float(np.clip(5.0 * np.ceil(late / 5.0), _LEAST_BUFFER_MS, _MOST_BUFFER_MS))


def choose_block(specs: Sequence[StageSpec], mixes: Sequence[Mix], ducking: Ducking, *, rate_hz: int) -> tuple[BlockCost, ...]:
    """The cost of each size that was tried, the one to take last: the shortest that leaves the machine enough time."""
    tried = []
    for block_ms in BLOCKS_MS:
        tried.append(rehearse(specs, mixes, ducking, rate_hz=rate_hz, block_ms=block_ms))
        if tried[-1].share <= _MOST_SHARE:
            break
    return tuple(tried)
