"""Sequences that defeat a stage."""

import pytest

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.derive.order import warnings


def moved(kind, to):
    order = [k for k in KINDS if k != kind]
    order.insert(to, kind)
    return order


@pytest.mark.parametrize(
    "order, kind, other",
    [
        (moved("limiter", 0), "limiter", "hum"),
        (moved("limiter", 14), "limiter", "gain"),
        (moved("gate", 12), "gate", "compressor"),
        (moved("noise_reduction", 14), "noise_reduction", "compressor"),
        (moved("highpass", 14), "highpass", "gate"),
        (moved("deesser", 14), "deesser", "compressor"),
        (moved("leveller", 13), "leveller", "compressor"),
        (moved("ring_reduction", 8), "ring_reduction", "gate"),
        (moved("hum", 8), "hum", "gate"),
        (moved("clicks", 14), "clicks", "compressor"),
        (moved("compressor", 0), "deplosive", "compressor"),
    ],
)
def test_an_order_that_defeats_a_stage_is_told(order, kind, other):
    assert (kind, other) in [(w.kind, w.other) for w in warnings(order)]
    for warning in warnings(order):
        assert warning.sentence.endswith(".")


def test_the_usual_order_and_stages_that_are_off_defeat_nothing():
    assert warnings(tuple(KINDS)) == ()
    assert warnings(["compressor", "limiter"]) == ()
    assert warnings([]) == ()
    assert {w.kind for w in warnings(["compressor", "gate", "limiter"])} == {"gate"}
