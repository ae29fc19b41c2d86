"""What is told from outside the page: the words, and how it stands."""

import json

import pytest

from obsidian_wren.service import live
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living, muting
from obsidian_wren.service.outside.commands import NotUnderstood, obey
from obsidian_wren.service.outside.status import follow, status
from shown import shows
from waiting import wait_until


@pytest.fixture
def live_app(boathouse):
    """The boathouse live."""
    living.start_run(boathouse)
    yield boathouse
    if live.current(boathouse).run is not None:
        living.stop_run(boathouse)


def test_mute_and_unmute_are_the_pages(boathouse):
    for words, said, muted in (
        ("mute", "Muted.", "all"),
        ("mute", "Muted.", "all"),
        ("unmute", "Not muted.", "none"),
        ("unmute", "Not muted.", "none"),
        ("toggle-mute", "Muted.", "all"),
        ("toggle-mute", "Not muted.", "none"),
    ):
        assert obey(boathouse, [words]) == said
        assert shows(boathouse, "run").feeds_muted == muted


def test_push_to_talk_is_held_until_it_is_let_go(live_app, monkeypatch):
    monkeypatch.setattr(muting, "HELD_S", 0.0)
    muting.push_to_talk(live_app, None, True)
    assert status(live_app).muted
    obey(live_app, ["talk", "on"])
    # A page that says less than that ends nothing.
    muting.talk(live_app, True)
    now = status(live_app)
    assert (now.talking, now.muted) == (True, False)
    obey(live_app, ["talk", "off"])
    assert status(live_app).muted


def test_live_begins_and_ends_and_saying_it_again_changes_nothing(boathouse):
    assert obey(boathouse, ["live", "on"]) == "Live."
    run = live.current(boathouse).running
    assert obey(boathouse, ["live", "on"]) == "Live."
    assert live.current(boathouse).running is run
    assert obey(boathouse, ["live", "off"]) == obey(boathouse, ["live", "off"]) == "Not live."
    assert live.current(boathouse).running is None


def test_clips_are_pressed_by_their_keys(live_app):
    clip = shows(live_app, "clips")[0]
    assert obey(live_app, ["clip", clip.key]) == f"Plays {clip.name}."
    with pytest.raises(Refused, match="No clip has the key x"):
        obey(live_app, ["clip", "x"])


def test_the_marker_is_sent_where_somebody_is_live(boathouse):
    with pytest.raises(Refused, match="not live"):
        obey(boathouse, ["marker"])
    living.start_run(boathouse)
    obey(boathouse, ["marker"])
    wait_until(lambda: shows(boathouse, "proofs").all > 0)
    living.stop_run(boathouse)


@pytest.mark.parametrize(
    "words", ["", "sing", "mute now", "talk", "talk maybe", "live", "clip", "marker 1"]
)
def test_what_is_no_command_is_not_done(boathouse, words):
    with pytest.raises(NotUnderstood, match="not a command"):
        obey(boathouse, words.split())


def test_how_it_stands_is_said_and_is_json(live_app):
    # The level comes with the first frame of the meter.
    wait_until(lambda: status(live_app).level_dbfs is not None)
    now = status(live_app)
    assert now.sentence.startswith("Live: your voice goes out. Level −")
    assert json.loads(now.line) == {
        "live": True,
        "muted": False,
        "talking": False,
        "situation": None,
        "level_dbfs": now.level_dbfs,
        "gaps": now.gaps,
        "trouble": None,
        "watch": None,
    }
    obey(live_app, ["mute"])
    assert "muted" in status(live_app).sentence
    obey(live_app, ["live", "off"])
    now = status(live_app)
    assert (now.live, now.level_dbfs, now.gaps) == (False, None, None)


def test_whoever_follows_is_told_each_change_once_and_the_end(boathouse):
    told = follow(boathouse)
    first = next(told)
    assert not first.live
    obey(boathouse, ["mute"])
    assert next(told).muted
    # A change of something else is none.
    boathouse.changed()
    assert next(told) is None
    boathouse.bus.end()
    assert list(told) == []


def test_whoever_follows_what_is_live_hears_its_level(live_app):
    told = follow(live_app)
    next(told)
    found = [each for each in (next(told) for _ in range(6)) if each is not None]
    assert any(each.level_dbfs is not None for each in found)
    assert all(each.live for each in found)
