"""What is said of a listener: proof first, nothing twice."""

import pytest

from obsidian_wren.core.mix.checks import ProofFacts, listener_checks
from obsidian_wren.core.mix.listener_kinds import LISTENER_KINDS
from obsidian_wren.core.mix.verdict import Verdict


def verdict(code, mark="good", advice=None):
    return Verdict(code, mark, code, advice)


def proof(*verdicts, stale=False):
    return ProofFacts(verdicts=verdicts, delay_ms=35.0, ours_ms=15.0, lufs=-18.1, stale=stale)


def test_nothing_is_proved_before_a_marker_was_sent():
    checks = listener_checks([verdict("picks raw", "fault", "Pick the feed.")], None, provable=True)
    assert [(c.code, c.mark) for c in checks] == [("unproved", "none"), ("picks raw", "fault")]
    assert checks[1].advice == "Pick the feed."


def test_the_proof_comes_first_and_nothing_twice():
    audit = [verdict("picks its feed"), verdict("one rate"), verdict("twice cleaned", "fault")]
    checks = listener_checks(
        audit, proof(verdict("treated"), verdict("twice cleaned", "fault")), provable=True
    )
    assert [c.code for c in checks] == ["treated", "twice cleaned", "one rate"]
    assert checks[0].detail == "15 ms of it here, 20 in the program; heard at −18.1 LUFS"
    assert checks[1].detail is None


def test_what_arrives_speaks_for_what_is_picked():
    audit = [verdict("picks raw", "fault")]
    checks = listener_checks(audit, proof(verdict("raw", "fault")), provable=True)
    assert [c.code for c in checks] == ["raw"]
    kept = listener_checks(audit, proof(verdict("treated")), provable=True)
    assert [c.code for c in kept] == ["treated", "picks raw"]


def test_a_proof_of_another_input_is_not_trusted():
    (check,) = listener_checks([], proof(verdict("treated"), stale=True), provable=True)
    assert (check.code, check.mark) == ("unproved", "none")
    assert "send it again" in check.sentence


def test_what_no_marker_reaches_is_not_asked_for_one():
    assert listener_checks([], None, provable=False) == ()
    (note,) = listener_checks([verdict("own rate", "note")], None, provable=False)
    assert note.mark == "none"


@pytest.mark.parametrize("kind", LISTENER_KINDS.values(), ids=lambda kind: kind.kind)
def test_a_kind_that_returns_has_a_program_and_one_that_picks_a_feed_of_its_own(kind):
    assert ("returned" in kind.sounds) == (kind.returns is not None)
    assert kind.has_program or not (kind.picks or kind.settings or kind.sounds)
    feeds = [other.feed for other in LISTENER_KINDS.values() if other.picks]
    assert len(set(feeds)) == len(feeds)
