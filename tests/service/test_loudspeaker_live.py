"""What a loudspeaker plays, while live: decided by the output, held by a person, told."""

import json

import pytest

from obsidian_wren.service.live import living
from obsidian_wren.service.live.state import current
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.setup import computer_changes
from shown import shows
from voices import run_of
from waiting import wait_until


@pytest.fixture
def aloud(boathouse):
    """The boathouse with a loudspeaker in it."""
    with boathouse.sessions.begin() as session:
        rig = the_rig(boathouse, session)
        spec = json.loads(rig.spec_json) | {"loudspeaker": {"level_db_spl": 58}}
        rig.spec_json = json.dumps(spec)
    return boathouse


def loudspeaker(app):
    return shows(app, "run").loudspeaker


def test_where_none_stands_nothing_is_taken_out(boathouse):
    assert not loudspeaker(boathouse).switch.derived
    living.start_run(boathouse)
    assert current(boathouse).run.wanted.played == ""
    assert loudspeaker(boathouse).facts == ()


def test_it_is_taken_out_and_found(aloud):
    boathouse = aloud
    switch = loudspeaker(boathouse).switch
    assert (switch.on, switch.derived, switch.pinned) == (True, True, False)
    assert loudspeaker(boathouse).facts == ()
    living.start_run(boathouse)
    assert current(boathouse).run.wanted.played == "returns"
    wait_until(lambda: loudspeaker(boathouse).facts[0].value not in ("not found", "−0 dB"))
    found, delay = loudspeaker(boathouse).facts
    assert "ms after it is played" in found.sentence
    assert delay.value == "+23 ms"


def test_who_holds_it_off_has_the_delay_back_at_once(aloud):
    boathouse = aloud
    living.start_run(boathouse)
    seat = run_of(boathouse).seats[0]
    with_it = run_of(boathouse).delay_of(seat).chain_ms
    living.take_loudspeaker_out(boathouse, False)
    switch = loudspeaker(boathouse).switch
    assert (switch.on, switch.derived, switch.pinned) == (False, True, True)
    assert current(boathouse).run.wanted.played == ""
    without = run_of(boathouse).delay_of(run_of(boathouse).seats[0]).chain_ms
    assert with_it - without == pytest.approx(22.9, abs=0.1)
    assert loudspeaker(boathouse).facts == ()
    living.take_loudspeaker_out(boathouse, None)
    assert loudspeaker(boathouse).switch.on


def test_headphones_that_play_now_end_it_while_live(aloud):
    boathouse = aloud
    living.start_run(boathouse)
    computer_changes.change_device(boathouse, "out-3", "is_default", True)
    assert not loudspeaker(boathouse).switch.on
    assert current(boathouse).running.wanted.played == ""
    computer_changes.change_device(boathouse, "out-1", "is_default", True)
    assert current(boathouse).running.wanted.played == "returns"
