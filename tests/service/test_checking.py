"""A check of twenty seconds in the page: what drifted, why, and what is taken over."""

import re

import numpy as np
import pytest
from sqlalchemy import select

from obsidian_wren.core.prove.drift_words import turned_to_deg
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living
from obsidian_wren.service.send import listeners, proving
from obsidian_wren.service.setup import confirming, turning
from obsidian_wren.service.takes import discarding, from_check
from obsidian_wren.service.takes.simulated import start_simulated
from obsidian_wren.store.models import Proof
from rigging import change, preamp
from shown import overview, shows
from waiting import wait_until


def checked(app):
    before = len(shows(app, "checks"))
    start_simulated(app, "check", pace="fast")
    wait_until(lambda: shows(app, "progress") is None)
    seen = overview(app, "checks", "takes")
    assert len(seen.checks) == before + 1, seen.takes[-1].fault
    return seen.checks[-1]


def step(app):
    return next(one for one in shows(app, "steps") if one.name == "prove")


def test_a_rig_that_was_left_alone_has_not_drifted(boathouse):
    found = checked(boathouse)
    assert (found.drifted, found.causes, found.keeps) == (False, [], None)
    assert not any(row.moved for row in found.readings)
    assert len(found.bands) == 22
    assert step(boathouse).status == "open"
    confirming.confirm_step(boathouse, "prove")
    assert step(boathouse).status == "confirmed"


def test_gain_that_was_turned_is_named_kept_and_derived_from(boathouse):
    stood = overview(boathouse, "talk")
    turning.turn_knob(boathouse, preamp(boathouse) + 4.0)
    found = checked(boathouse)
    first = found.causes[0]
    assert (found.drifted, first.code) == (True, "gain")
    assert "4.0 dB higher" in first.sentence
    assert step(boathouse).status == "stale"
    assert step(boathouse).why == first.sentence
    assert found.keeps == "the room and your talk"
    from_check.keep_what_moved(boathouse, found.take_id)
    seen = overview(boathouse, "takes", "talk")
    assert [take.purpose for take in seen.takes[-2:]] == ["rest", "talk"]
    assert all(take.current and not take.stale for take in seen.takes[-2:])
    louder = seen.talk.active_level_dbfs - stood.talk.active_level_dbfs
    assert louder == pytest.approx(4.0, abs=1.0)
    assert step(boathouse).status != "stale"
    # It can be taken back.
    discarding.discard_take(boathouse, seen.takes[-1].id)
    assert shows(boathouse, "takes")[-1].purpose == "rest"


def test_who_sits_farther_away_is_told_how_far(boathouse):
    change(boathouse, distance_cm=32)
    found = checked(boathouse)
    assert found.causes[0].code == "distance"
    assert "22 → 3" in found.causes[0].sentence
    assert found.keeps == "your talk and the passage"
    told = [band for band in found.bands if band.explained_db is not None]
    assert told
    assert all(abs(band.explained_db - band.change_db) < 1.0 for band in told if band.change_db)


def test_a_microphone_that_was_turned_is_told_in_degrees(boathouse):
    change(boathouse, angle_deg=75)
    found = checked(boathouse)
    (angle,) = [cause for cause in found.causes if cause.code == "angle"]
    turned = re.search(r"turned from 20 to (\d+) ± (\d+)°", angle.sentence)
    assert abs(int(turned[1]) - 75) <= 15
    # By the pattern's own formula, there and back.
    for then, now in ((0.0, 60.0), (20.0, 75.0), (60.0, 10.0)):
        gains = [0.5 * (1.0 + np.cos(np.radians(deg))) for deg in (then, now)]
        change_db = 20.0 * np.log10(gains[1] / gains[0])
        assert turned_to_deg(then, change_db) == pytest.approx(now, abs=1e-6)


def test_what_stood_on_the_old_place_is_derived_again(boathouse):
    change(boathouse, distance_cm=32)
    found = checked(boathouse)
    from_check.keep_what_moved(boathouse, found.take_id)
    seen = overview(boathouse, "steps", "takes")
    # The room does not hold at another distance either.
    assert [take.purpose for take in seen.takes[-3:]] == ["rest", "talk", "passage"]
    assert {s.name: s.status for s in seen.steps}["tone"] in ("open", "confirmed")
    again = checked(boathouse)
    assert (again.drifted, again.causes) == (False, [])


def test_nothing_is_checked_against_nothing(app):
    change(app, source="simulated")
    start_simulated(app, "check", pace="fast")
    wait_until(lambda: shows(app, "progress") is None)
    seen = overview(app, "checks", "takes")
    assert seen.checks == []
    assert "record the room and read the passage first" in seen.takes[-1].fault
    with pytest.raises(Refused, match="no longer exists"):
        from_check.keep_what_moved(app, seen.takes[-1].id)


def test_a_check_that_ended_too_soon_says_so(boathouse):
    start_simulated(boathouse, "check", seconds=11.0, pace="fast")
    wait_until(lambda: shows(boathouse, "progress") is None)
    assert "before the sentence was read" in shows(boathouse, "takes")[-1].fault
    assert shows(boathouse, "checks") == []


def test_a_feed_that_was_proved_before_is_proved_again_since_the_check(boathouse):
    def call():
        return next(one for one in shows(boathouse, "destinations") if one.key == "call")

    def feed():
        found = shows(boathouse, "checks")[-1].feeds
        return next(one for one in found if one.listener == call().name)

    def proofs():
        with boathouse.sessions() as session:
            return list(session.scalars(select(Proof).where(Proof.destination == "call")))

    def send_marker():
        seen = len(proofs())
        proving.send_marker(boathouse)
        wait_until(lambda: len(proofs()) > seen)

    raw = call().picks
    living.start_run(boathouse)
    listeners.pick_input(boathouse, "call", "Wren: call")
    send_marker()
    against = checked(boathouse).against
    with boathouse.sessions.begin() as session:
        for proof in session.scalars(select(Proof)):
            proof.at = against
    checked(boathouse)
    assert (feed().proved, feed().now_ms, feed().moved) == (None, None, False)
    send_marker()
    assert feed().proved
    assert feed().now_ms == pytest.approx(feed().then_ms, abs=2.0)
    assert not feed().moved
    # Who hears the raw voice by now has moved, whatever the room does.
    with boathouse.sessions.begin() as session:
        for proof in session.scalars(select(Proof)):
            proof.at = against
    listeners.pick_input(boathouse, "call", raw)
    send_marker()
    assert not shows(boathouse, "checks")[-1].drifted
    assert (feed().proved, feed().moved) == (False, True)
    assert "Raw voice arrives" in feed().found
