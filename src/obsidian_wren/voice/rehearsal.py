"""What a block costs on this machine: the run's own stages and mixes over a moment of loud
noise, before anybody listens."""

from __future__ import annotations

import time
from collections.abc import Sequence

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.mix.block import BlockCost
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.edge import Edge
from obsidian_wren.core.mix.engine import Mix, MixEngine

_ROUNDS = 40
_SHARE_AT = 95.0


def rehearse(
    specs: Sequence[StageSpec],
    mixes: Sequence[Mix],
    ducking: Ducking,
    rate_hz: int,
    block_ms: float,
) -> BlockCost:
    """Run so many blocks; what loads with the first ones has loaded then."""
    count = round(block_ms / 1000.0 * rate_hz)
    chain, engine = (
        VoiceChain(specs, rate_hz),
        MixEngine(mixes, ducking=ducking, rate_hz=rate_hz),
    )
    edges = {
        mix.listener: Edge(from_hz=rate_hz, to_hz=rate_hz, channels=mix.channels) for mix in mixes
    }
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
