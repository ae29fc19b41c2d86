"""Another language is chosen: what is kept in words follows it, and numbers stay what they are."""

import pytest

from beside import work_beside
from obsidian_wren.core import wording
from obsidian_wren.formats.catalogue import read_language
from obsidian_wren.service import takes
from obsidian_wren.service.calibration import catching_up, current, kept_words
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living
from obsidian_wren.service.opening.language import choose_language
from obsidian_wren.store.language import SHIPPED, chosen_in
from rigging import change
from shown import shows


@pytest.fixture
def spanish():
    wording.speak(read_language(SHIPPED / "es.po"))
    yield
    wording.speak(wording.ENGLISH)


@pytest.fixture
def begun(boathouse):
    def begin():
        catching_up.start_catching_up(work_beside(boathouse))
        catching_up.wait_derived(boathouse)

    yield begin
    current(boathouse).background.stop()


def told(app):
    return {(s.stage, s.name): s.because for s in shows(app, "settings")}


@pytest.mark.usefixtures("spanish")
def test_what_is_outdated_is_left_to_who_decides(boathouse, begun, monkeypatch):
    reasons = told(boathouse)
    monkeypatch.setattr(kept_words, "derivable_answers", lambda *_: ["equalizer"])
    begun()
    assert told(boathouse) == reasons


def test_it_is_kept_and_refused_where_there_is_none(boathouse):
    with pytest.raises(Refused, match="no such language"):
        choose_language(boathouse, "../secret")
    assert chosen_in(boathouse.folder.path) is None
    choose_language(boathouse, "es")
    assert chosen_in(boathouse.folder.path) == "es"


def test_nothing_that_runs_is_cut_off_for_it(boathouse, monkeypatch):
    with monkeypatch.context() as during:
        during.setattr(takes.current(boathouse), "running", object())
        with pytest.raises(Refused, match="A take is running"):
            choose_language(boathouse, "es")
    change(boathouse, source="browser")
    living.start_run(boathouse, browser_rate_hz=48_000)
    with pytest.raises(Refused, match="live over this page"):
        choose_language(boathouse, "es")
    living.stop_run(boathouse)
    choose_language(boathouse, "es")
