"""The page that listens: what it says of a voice with words missing, and whose fault that is."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from obsidian_wren.core.mix.marker import Found
from obsidian_wren.core.mix.reprocessing import Reprocessing
from obsidian_wren.core.mix.verdict import Arrived
from obsidian_wren.service.send import listening_page
from obsidian_wren.voice.marker_flight import HeardMarker

RATE = 48_000
SECOND = np.full(RATE, 0.1)
# Every fifth word is missing, and it is not known that anything was lost.
CUT = Arrived(
    raw=None,
    treated=Found(1000.0, 0.0, False, 30.0),
    feed="Wren: call",
    own_feed="Wren: call",
    delay_ms=20.0,
    again=Reprocessing(0.0, 12.0, 1.0, 0.2, 12_000.0),
)


def proved(*_, lost, **__):
    if lost >= 7:
        return replace(CUT, treated=None, again=None, lost=True)
    return replace(CUT, again=None, gaps=True) if lost else CUT


@pytest.fixture
def app(monkeypatch):
    """Nothing but a run that counts what it lost, and a page that listens to it."""
    seat = SimpleNamespace(own_feed="Wren: call", key="call", number=1)
    run = SimpleNamespace(dropouts=3, seats=[seat], rate_hz=RATE)
    pages = listening_page.Pages()
    monkeypatch.setattr(
        listening_page, "live", SimpleNamespace(current=lambda _: SimpleNamespace(run=run))
    )
    monkeypatch.setattr(listening_page, "prove", proved)
    app = SimpleNamespace(run=run, own=lambda kind: pages, work=lambda job, *more: job(None, *more))
    listening_page.begin(app, "Wren: call", RATE)
    return app


def told(app, lost_after_s, listened_s=8, lost_in_marker=0):
    """Codes of what is said where sound was lost after so many seconds; a marker is sent at the
    end, during which more is lost."""
    for second in range(listened_s):
        app.run.dropouts += second == lost_after_s
        listening_page.push(app, SECOND)
    listening_page.note_start(app)
    app.run.dropouts += lost_in_marker
    listening_page.push(app, SECOND)
    sound = np.zeros(RATE)
    heard = HeardMarker(
        RATE, RATE, sound, np.zeros(0), np.zeros(4 * RATE), np.zeros(0), before_s=4.0
    )
    listening_page.look(app, app.run, {"call": heard}, -20.0, {"call": -18.0})
    return [each["code"] for each in listening_page.current(app).page.proof["verdicts"]]


def test_a_marker_that_ended_on_its_way_is_told_of(app):
    listening_page.note_failed(app, "The sound comes too slowly.")
    (told,) = listening_page.current(app).page.proof["verdicts"]
    assert (told["mark"], told["sentence"]) == ("fault", "The sound comes too slowly.")


def test_words_that_nothing_lost_were_cut(app):
    assert told(app, lost_after_s=None) == ["treated", "cuts words"]


def test_words_are_not_said_cut_where_the_run_lost_sound_meanwhile(app):
    assert told(app, lost_after_s=6) == ["treated", "gaps"]


def test_what_was_lost_before_is_not_looked_at(app):
    assert told(app, lost_after_s=1) == ["treated", "cuts words"]


def test_what_was_lost_while_the_marker_was_on_its_way_is_counted(app):
    assert told(app, lost_after_s=1, lost_in_marker=6) == ["treated", "gaps"]
    assert told(app, lost_after_s=1, lost_in_marker=7) == ["too many gaps"]
