"""Two people at one desk: a rig for each, both in every mix, each lowered while only the other one
talks."""

import threading

import numpy as np
import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import current, living
from obsidian_wren.service.send import listeners, two_people
from obsidian_wren.service.setup import things
from obsidian_wren.service.undo import put_back
from obsidian_wren.voice.records import Track
from rigging import change
from shown import shows
from two_rigs import add_calibrated_rig

RATE = 48_000


def people(app):
    return shows(app, "two_people")


def heard(app, seconds):
    """What both treated voices are, live ``(n, 2)``."""
    blocks, enough = [], threading.Event()

    def hear(tracks):
        blocks.append(np.concatenate(tracks, axis=1))
        if sum(map(len, blocks)) > seconds * RATE:
            enough.set()

    end = current(app).running.follow(
        "both", [Track("voice treated"), Track("person treated")], hear
    )
    assert enough.wait(60.0)
    end()
    return np.concatenate(blocks)


def turns_db(app, who):
    """How loud both are while one of them talks, dBFS."""
    two_people.let_talk(app, who)
    try:
        sound = heard(app, 4.0)[-2 * RATE :]
    finally:
        two_people.let_talk(app, "both")
    return 10.0 * np.log10(np.mean(sound**2, axis=0))


def test_each_is_lowered_while_only_the_other_one_talks(boathouse):
    app = boathouse
    other = add_calibrated_rig(app)
    two_people.choose_person(app, other)
    shown = people(app)
    assert (shown.chosen, shown.on, shown.live) == (other, True, False)
    with pytest.raises(Refused, match="live"):
        two_people.measure(app, "voice")
    living.start_run(app)
    assert people(app).live
    before = turns_db(app, "voice"), turns_db(app, "person")
    two_people.measure(app, "voice")
    assert [way.who for way in people(app).spill] == ["voice"]
    assert not people(app).is_lowered
    two_people.measure(app, "person")
    shown = people(app)
    assert shown.is_lowered and not shown.is_old
    for way in shown.spill:
        assert -17.0 < way.level_db < -11.0
        assert way.depth_db >= 16.0
    after = turns_db(app, "voice"), turns_db(app, "person")
    for talker, was, now in zip((0, 1), before, after, strict=True):
        # Who talks stays as loud, and what the other microphone has of it goes down.
        assert abs(now[talker] - was[talker]) < 2.0
        assert was[1 - talker] - now[1 - talker] > 12.0
    # Whoever of the two is in hand, the other one is beside.
    living.stop_run(app)
    first = shows(app, "rig").id
    things.use_rig(app, other)
    turned = people(app)
    assert (turned.chosen, turned.is_lowered) == (first, True)
    assert [way.level_db for way in turned.spill] == [way.level_db for way in shown.spill[::-1]]


def test_who_measures_twice_at_once_is_told_to_wait(boathouse):
    app = boathouse
    two_people.choose_person(app, add_calibrated_rig(app))
    living.start_run(app)
    with (
        two_people.current(app).turn,
        pytest.raises(Refused, match="being measured already"),
    ):
        two_people.measure(app, "voice")
    two_people.measure(app, "voice")
    assert "voice" in [way.who for way in people(app).spill]


def test_a_person_has_a_row_in_every_mix_that_voices_have(boathouse):
    app = boathouse
    two_people.choose_person(app, add_calibrated_rig(app))
    listeners.use_listener(app, "stream", True)
    mixes = {each.key: each.mix for each in shows(app, "destinations") if each.mix}
    stream = {send.source: send for send in mixes["stream"].sends}
    assert stream["person"].lufs == pytest.approx(stream["voice"].lufs, abs=0.1)
    assert stream["person"].duck_db == 0.0
    assert "person" in {out.source for out in mixes["headphones"].kept_out}
    # Taken away in one step, and back in one.
    two_people.choose_person(app, None)
    assert people(app).chosen is None
    assert "person" not in {source.key for source in shows(app, "sources") if source.on}
    put_back.undo(app)
    assert people(app).on


def test_spill_of_another_gain_is_not_used(boathouse):
    app = boathouse
    two_people.choose_person(app, add_calibrated_rig(app))
    living.start_run(app)
    for who in ("voice", "person"):
        two_people.measure(app, who)
    assert people(app).is_lowered
    assert current(app).running.wanted.person.spill is not None
    change(app, distance_cm=40.0)
    assert people(app).is_old and not people(app).is_lowered
    living.stop_run(app)
    living.start_run(app)
    assert current(app).running.wanted.person.spill is None


def test_who_cannot_sit_beside_is_told_why(boathouse):
    app = boathouse
    blank = things.add_rig(app, "New desk")
    things.use_rig(app, shows(app, "rigs")[0].id)
    why = {each.id: each.why_not for each in people(app).rigs}
    assert "not calibrated" in why[blank]
    with pytest.raises(Refused, match="not calibrated"):
        two_people.choose_person(app, blank)
    with pytest.raises(Refused, match="in hand"):
        two_people.choose_person(app, shows(app, "rig").id)
    with pytest.raises(Refused, match="no longer stored"):
        two_people.choose_person(app, 999)
    with pytest.raises(Refused, match="Two people"):
        listeners.use_source(app, "person", True)
    assert people(app).chosen is None


def test_both_alike_in_both_microphones_is_refused_and_neither_is_lowered(boathouse, monkeypatch):
    app = boathouse
    two_people.choose_person(app, add_calibrated_rig(app))
    monkeypatch.setattr("obsidian_wren.simulation.desk._SPILL_DB", 0.0)
    living.start_run(app)
    two_people.measure(app, "voice")
    with pytest.raises(Refused, match="alike"):
        two_people.measure(app, "person")
    assert not people(app).is_lowered


def test_who_is_forgotten_with_their_rig_does_not_keep_you_from_being_live(boathouse):
    app = boathouse
    other = add_calibrated_rig(app, takes=False)
    two_people.choose_person(app, other)
    things.remove_rig(app, other)
    assert not people(app).on
    living.start_run(app)
    assert current(app).running.wanted.person is None
