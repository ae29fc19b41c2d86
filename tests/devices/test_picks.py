"""Who was moved away from a feed by the sound server, and who went by a person's own choice."""

import pytest

from obsidian_wren.devices.sound_server import picks
from obsidian_wren.devices.sound_server.picks import Picks
from obsidian_wren.ports.system_sound import SystemListener
from waiting import Clock

CALL = "obsidian_wren.call"


def at(microphone):
    return SystemListener(7, "Walk recorder", 70, microphone, microphone == CALL, 100.0, False)


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(picks, "time", clock)
    return clock


@pytest.fixture
def known(tmp_path, clock):
    """A program on the call's feed, long after anything moved."""
    known = Picks(tmp_path / "picks.json")
    clock.now += 10.0
    assert known.look([at(CALL)], "desk", clock.now).to_ask == ()
    return known


def asked(known, clock, microphone, usual):
    return [feed for _, feed in known.look([at(microphone)], usual, clock.now).to_ask]


def test_who_goes_by_itself_is_left_there(known, clock):
    clock.now += 10.0
    assert asked(known, clock, "desk", "desk") == []
    assert asked(known, clock, "desk", "other") == []


@pytest.mark.parametrize("later_s", [0.2, 20.0])
def test_who_is_moved_with_the_default_is_asked_for_however_late_it_is_seen(known, clock, later_s):
    assert asked(known, clock, CALL, "other") == []
    clock.now += later_s
    assert asked(known, clock, "other", "other") == [CALL]


def test_it_is_asked_for_until_it_is_back_and_told_once(known, clock):
    for _ in range(20):
        clock.now += 1.0
        assert asked(known, clock, "other", "other") == [CALL]
    clock.now += 0.5
    assert asked(known, clock, "other", "other") == []
    assert [feed for _, feed in known.look([at(CALL)], "other", clock.now).back] == [CALL]
    assert known.look([at(CALL)], "other", clock.now).back == ()
    clock.now += 10.0
    assert asked(known, clock, CALL, "other") == []
    clock.now += 10.0
    assert asked(known, clock, "other", "other") == []


def test_it_is_asked_for_where_it_is_moved_to_the_default_before_this_one(known, clock):
    asked(known, clock, CALL, "other")
    clock.now += 1.0
    asked(known, clock, CALL, CALL)
    clock.now += 1.0
    assert asked(known, clock, "other", CALL) == [CALL]


def test_a_person_has_the_last_word(known, clock):
    assert asked(known, clock, "other", "other") == [CALL]
    clock.now += 1.0
    assert asked(known, clock, "phone", "other") == []
    clock.now += 1.0
    assert asked(known, clock, "other", "other") == []


def test_the_next_run_takes_back_whom_nobody_watched(known, clock, tmp_path):
    again = Picks(tmp_path / "picks.json")
    clock.now += 20.0
    assert asked(again, clock, "desk", "desk") == [CALL]


def test_nobody_is_asked_for_without_end(known, clock):
    assert asked(known, clock, "other", "other") == [CALL]
    clock.now += 600.0
    assert asked(known, clock, "other", "other") == []
    clock.now += 600.0
    assert asked(known, clock, "other", "other") == []
