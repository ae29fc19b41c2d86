"""Sound that is there already, through a chain in parts that may work side by side."""

import numpy as np
import pytest
from test_one_pass import EVERY

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import in_parts, render, rendered
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec
from obsidian_wren.service.side_by_side import beside
from signals import RATE, voice

HISS = NoiseReductionSpec(12.0, tuple((hz, -70.0) for hz in (100.0, 1000.0, 10_000.0)))
RING = RingReductionSpec(6.0, 0.5, 0.0)
CHAINS = {
    "noise reduction inside": (*EVERY[:2], HISS, *EVERY[2:]),
    "noise reduction alone": (HISS,),
    "noise reduction last": (*EVERY, HISS),
    "reverb reduction works on its frames": (HISS, RING, *EVERY[2:]),
    "without noise reduction": EVERY,
    "nothing runs": (),
}


def at_once(specs, sound):
    """Through one chain in one call each of sound and what is left in its delay."""
    chain = VoiceChain(specs, RATE)
    out = [chain.process(sound[at : at + 4096]) for at in range(0, len(sound), 4096)]
    out.append(chain.process(np.zeros(chain.delay_samples)))
    return np.concatenate(out)[chain.delay_samples :]


@pytest.mark.parametrize("name", CHAINS)
def test_parts_give_what_the_whole_chain_gives(name):
    specs, sound = CHAINS[name], voice()[: 3 * RATE]
    whole = at_once(specs, sound)
    assert len(whole) == len(sound)
    np.testing.assert_array_equal(
        render(specs, sound, rate_hz=RATE, beside=beside), render(specs, sound, rate_hz=RATE)
    )
    np.testing.assert_allclose(render(specs, sound, rate_hz=RATE), whole, rtol=0, atol=1e-12)
    pieces = np.split(sound, [5, 40_000, 90_001])
    streamed = np.concatenate([*rendered(specs, pieces, rate_hz=RATE, beside=beside)])
    np.testing.assert_allclose(streamed, whole, atol=1e-12)


def test_noise_reduction_works_beside_the_others():
    kinds = [
        [stage.kind for stage in chain.stages]
        for chain in in_parts(CHAINS["noise reduction inside"], RATE)
    ]
    assert kinds[1] == ["noise_reduction"]
    assert [len(part) for part in kinds] == [2, 1, 8]
