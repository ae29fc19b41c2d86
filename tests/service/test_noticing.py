"""What is noticed while live: what it is compared with, what is told, and what one press does."""

import threading
from dataclasses import dataclass, field, replace
from types import SimpleNamespace

import numpy as np
import pytest

from obsidian_wren.core.noticing.change import live_change
from obsidian_wren.core.noticing.usual import BEFORE_ANY_DAY, usual_today
from obsidian_wren.core.prove.drift import drift_of
from obsidian_wren.core.prove.sounding import VOICE_HZ
from obsidian_wren.service import live
from obsidian_wren.service import takes as taking
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.noticing import days, listening, telling
from obsidian_wren.service.noticing.reference import basis_of, reference
from obsidian_wren.service.noticing.state import current
from obsidian_wren.service.outside.status import status
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.undo import put_back
from rigging import change
from shown import shows


def basis(app):
    with app.sessions() as session:
        return basis_of(in_hand(app, session))


def farther(then, ratio):
    """The calibration from so many times the distance, by the inverse distance law."""
    off = -20.0 * np.log10(ratio)
    quieter = {"voice_db": then.voice_db + off, "late_db": then.late_db - 0.8 * off}
    return replace(then, active_level_dbfs=then.active_level_dbfs + off, **quieter)


def told_farther(app):
    then = reference(app)
    today = usual_today(BEFORE_ANY_DAY, [np.zeros(len(live_change(then, then).db))] * 9)
    drift = drift_of(live_change(then, farther(then, 1.6), today), distance_m=0.22)
    telling.tell(app, "distance", drift)
    return next(each for each in drift.causes if each.code == "distance")


def test_it_compares_with_the_takes_as_the_rig_is_said_to_stand(boathouse):
    then = reference(boathouse)
    before = basis(boathouse)
    assert before.why is None
    change(boathouse, distance_cm=44)
    moved = reference(boathouse)
    assert basis(boathouse).key != before.key
    assert basis(boathouse).takes == before.takes
    assert np.allclose(moved.voice_db - then.voice_db, -6.02, atol=0.01)
    assert np.allclose(moved.noise_db, then.noise_db)


def test_without_takes_there_is_nothing_to_compare_with(app):
    assert "Record the room" in basis(app).why
    assert reference(app) is None


def test_what_no_rule_can_follow_is_not_compared(boathouse):
    with boathouse.sessions.begin() as session:
        the_rig(boathouse, session).microphone.name = "Another one"
    assert "out of date" in basis(boathouse).why
    assert reference(boathouse) is None


def test_what_was_noticed_is_told_once_and_taken_over_with_one_press(boathouse):
    listener = boathouse.bus.listen()
    cause = told_farther(boathouse)
    assert "farther from the microphone: 22 →" in current(boathouse).notice.sentence
    assert status(boathouse).watch == current(boathouse).notice.sentence
    assert shows(boathouse, "noticing").noticed.takes_over
    assert "noticed" in [listener.get(timeout=1.0)[0] for _ in range(2)]
    telling.take_over(boathouse)
    assert shows(boathouse, "rig").distance_cm == round(cause.estimate) > 30
    assert current(boathouse).notice is None
    assert status(boathouse).watch is None
    put_back.undo(boathouse)
    assert shows(boathouse, "rig").distance_cm == 22


def test_what_was_noticed_can_be_left(boathouse):
    told_farther(boathouse)
    telling.put_aside(boathouse)
    assert shows(boathouse, "rig").distance_cm == 22
    with pytest.raises(Refused, match="nothing to take over"):
        telling.take_over(boathouse)


def test_nothing_is_taken_over_while_a_take_runs(boathouse):
    told_farther(boathouse)
    taking.current(boathouse).running = SimpleNamespace(purpose="talk")
    with pytest.raises(Refused, match="take is running"):
        telling.take_over(boathouse)
    taking.current(boathouse).running = None
    assert current(boathouse).notice is not None


def test_ordinary_days_are_usual_and_older_calibrations_are_not(boathouse, monkeypatch):
    rig_id = shows(boathouse, "rig").id
    numbers = np.full(len(VOICE_HZ) + 30 + 4, 2.0)
    for day in ("2031-03-01", "2031-03-02", "2031-03-03", "2031-03-04"):
        monkeypatch.setattr(days, "now", lambda day=day: f"{day}T10:00:00")
        days.keep_day(boathouse, rig_id, "takes of then", [numbers], 600.0)
    days.keep_day(boathouse, rig_id, "takes of then", [numbers + 40.0], 5.0)
    found = days.usual(boathouse, rig_id, "takes of then")
    # Today counts when it is over.
    assert found.days == 3
    assert 0.5 < found.offset_db[0] < 2.0
    assert found.level_db < BEFORE_ANY_DAY.level_db
    assert days.usual(boathouse, rig_id, "other takes").days == 0
    days.keep_day(boathouse, rig_id, "other takes", [numbers], 600.0)
    assert days.usual(boathouse, rig_id, "takes of then").days == 0


@dataclass
class Run:
    """A run whose microphone the test speaks into."""

    rate_hz: int = 48_000
    finished: threading.Event = field(default_factory=threading.Event)
    marker_in_flight: bool = False
    loudspeaker: object = None
    stopped_why: str | None = None

    def follow(self, name, tracks, hear):
        self.hear = hear
        self.followed.set()
        return self.followed.clear

    followed: threading.Event = field(default_factory=threading.Event)


@pytest.fixture
def watched(boathouse, monkeypatch):
    """The boathouse live over a run of the test's own."""
    monkeypatch.setattr(listening, "_LOOK_EVERY_S", 0.02)
    run = Run()
    live.current(boathouse).run = run
    watch = listening.Watch(boathouse)
    watch.start()
    assert run.followed.wait(30.0)
    yield run
    run.finished.set()
    watch.end()
    live.current(boathouse).run = None


def waited(until):
    """Whether something holds before long."""
    for _ in range(1500):
        if until():
            return True
        threading.Event().wait(0.02)
    return False


def speak(app, run, samples, until):
    """Let a run hear samples, piece by piece, until something holds."""
    for at in range(0, len(samples), 96_000):
        run.hear((samples[at : at + 96_000, None],))
        threading.Event().wait(0.1)
    return waited(lambda: until(current(app)))


def test_a_microphone_that_gives_digital_silence_is_told_while_it_lasts(boathouse, watched):
    assert speak(boathouse, watched, np.zeros(96_000 * 5), lambda now: now.fault)
    assert "digital silence" in current(boathouse).sentence
    noise = 1e-4 * np.random.default_rng(1).standard_normal(96_000 * 3)
    assert speak(boathouse, watched, noise, lambda now: now.fault is None)


def test_nothing_is_watched_where_nobody_wants_it(boathouse, watched):
    assert current(boathouse).watches
    telling.watch_live(boathouse, False)
    assert waited(lambda: not watched.followed.is_set())
    with boathouse.sessions() as session:
        assert not scene.live_wish(session).watches
