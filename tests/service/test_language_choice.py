"""Another language is chosen: what is kept in words follows it, and numbers stay what they are."""

import pytest

from beside import work_beside
from obsidian_wren.core import wording
from obsidian_wren.formats.catalogue import read_language
from obsidian_wren.service import takes
from obsidian_wren.service.calibration import catching_up, current, kept_words
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living
from obsidian_wren.service.mixes import mixing
from obsidian_wren.service.opening.language import choose_language
from obsidian_wren.store.language import SHIPPED, chosen_in
from rigging import change, status
from shown import overview, shows

# A program words these as it is loaded.
WORDED_AS_LOADED = {"mix call", "mix recorder", "mix headphones", ("clicks", "range_db")}


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
    seen = overview(app)
    reasons = {(s.stage, s.name): s.because for s in seen.settings if not s.band}
    reasons |= {stage.key: stage.because for stage in seen.stages}
    reasons |= {f"mix {d.key}": d.mix.because for d in seen.destinations if d.mix}
    reasons |= {f"sent to {d.key}": d.mix.sends[0].because for d in seen.destinations if d.mix}
    return reasons | {"gain": seen.gain_plan.because}


def numbers(app):
    return {
        (s.stage, s.name, s.band and s.band.frequency_hz): s.value for s in shows(app, "settings")
    }


def test_kept_reasons_are_told_in_it_and_every_number_stays(boathouse, begun, request):
    mixing.refresh(boathouse)
    reasons, values, steps = told(boathouse), numbers(boathouse), status(boathouse)
    request.getfixturevalue("spanish")
    begun()
    mixing.refresh(boathouse)
    left = {key for key, because in told(boathouse).items() if because == reasons[key]}
    assert left == WORDED_AS_LOADED
    assert (numbers(boathouse), status(boathouse)) == (values, steps)


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
