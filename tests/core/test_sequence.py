"""The sequence of a chain: keys of stages, completed by what a version knows."""

import pytest

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.sequence import (
    completed,
    default_sequence,
    is_further,
    next_key,
    numbered,
    title_of,
)


def test_a_further_stage_has_the_kind_of_the_first_and_a_number_of_its_own():
    assert kind_of("gate-2") is kind_of("gate")
    assert (title_of("gate"), title_of("gate-2")) == ("Gate", "Gate 2")
    assert [is_further(key) for key in ("gate", "gate-2")] == [False, True]
    assert next_key("gate", ["gate", "gate-2", "gate-4"]) == "gate-3"
    assert kind_of("gate-2").step == "clean"
    assert next_key("limiter", ["limiter"]) is None
    assert next_key("nothing", []) is None
    full = [f"gate-{number}" for number in range(2, 10)]
    assert next_key("gate", full) is None
    with pytest.raises(KeyError):
        kind_of("nothing-2")


def test_a_kind_may_stand_in_every_chain_with_another_task():
    sequence = default_sequence()
    assert sequence[sequence.index("gate-gentle") - 1] == "compressor"
    found = kind_of("gate-gentle")
    assert (found.kind, found.step, found.title) == ("gate", "steady", title_of("gate-gentle"))
    assert not is_further("gate-gentle")
    assert found.rule_function() is not kind_of("gate").rule_function()


def test_a_sequence_of_an_older_version_is_completed_in_its_default_places():
    older = [key for key in default_sequence() if key not in ("deplosive", "gain", "gate-gentle")]
    assert completed(older) == default_sequence()
    turned = [
        "gate",
        "noise_reduction",
        *[k for k in older if k not in ("gate", "noise_reduction")],
    ]
    found = completed(turned)
    assert [key for key in found if key in turned] == turned
    assert set(found) == set(default_sequence())
    assert completed([]) == default_sequence()


def test_a_sequence_of_a_newer_version_loses_what_nobody_knows_and_keeps_what_was_added():
    assert completed([*default_sequence(), "nothing", "gate-2", "gate-2"]) == (
        *default_sequence(),
        "gate-2",
    )


def test_stages_of_a_file_are_numbered_by_their_kinds():
    assert numbered(["gate", "gain", "gate", "gate"]) == ("gate", "gain", "gate-2", "gate-3")


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.kind)
def test_every_record_names_a_specification_and_a_rule_that_are_there(kind):
    assert kind.spec_class().kind == kind.kind
    assert callable(kind.rule_function())
    for parameter in kind.parameters:
        assert parameter.low < parameter.high
        assert 0 < parameter.step <= parameter.high - parameter.low
        assert kind.parameter(parameter.name) is parameter
