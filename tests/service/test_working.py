"""Whoever waits for a derivation sees how far it is and can end it."""

import pytest
import soundfile
from sqlalchemy import select

from obsidian_wren.service.calibration.deriving import derive_again, end_deriving
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.page.overview import overview_json
from obsidian_wren.service.takes import from_file
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Take
from shown import overview, shows


@pytest.fixture
def shares(boathouse, monkeypatch):
    """What is told of how far it is, and what is done at each."""
    told, at_each = [], []
    tell = boathouse.bus.tell

    def listen(kind, data):
        if kind == "working":
            told.append(data["share"])
            for act in at_each:
                act(data["share"])
        tell(kind, data)

    monkeypatch.setattr(boathouse.bus, "tell", listen)
    return told, at_each


def test_it_is_told_how_far_it_is(boathouse, shares):
    told, _ = shares
    derive_again(boathouse)
    assert told.pop() is None
    assert told == sorted(told)
    assert told[0] == 0.0
    first = len(told)
    told.clear()
    # Now it is known how much there is to do.
    derive_again(boathouse)
    assert len(told) == first + 1
    assert told[-2] == pytest.approx(0.95, abs=0.03)


def test_what_is_ended_leaves_everything_as_it_was(boathouse, shares):
    told, at_each = shares
    before = overview_json(boathouse)
    at_each.append(lambda share: end_deriving(boathouse) if share and share > 0.2 else None)
    with pytest.raises(Refused, match="Everything is as it was"):
        derive_again(boathouse)
    assert told.pop() is None
    assert max(told) < 0.5
    assert overview_json(boathouse) == before
    at_each.clear()
    # The next one is not ended by it.
    derive_again(boathouse)
    assert told[-1] is None


def test_who_ends_what_does_not_run_ends_nothing(boathouse):
    end_deriving(boathouse)
    derive_again(boathouse)


def test_a_take_of_a_file_is_told_and_where_it_is_ended_it_is_not_used(boathouse, shares, tmp_path):
    told, at_each = shares
    with boathouse.sessions() as session:
        digest = session.scalars(select(Take.sha256).where(Take.purpose == "talk")).first()
    talk, rate_hz = soundfile.read(take_files.take_path(boathouse.folder, digest))
    file = tmp_path / "talk.wav"
    soundfile.write(file, 0.98 * talk, rate_hz)
    before = overview(boathouse, "delivery", "settings", "stages")
    at_each.append(lambda share: end_deriving(boathouse) if share and share > 0.2 else None)
    with pytest.raises(Refused, match="stopped this before it was calculated"):
        from_file.keep_file(boathouse, "talk", file, channel=None)
    assert told[-1] is None
    after = overview(boathouse, "delivery", "settings", "stages", "takes")
    assert (after.settings, after.stages) == (before.settings, before.stages)
    assert after.delivery.model_dump() == before.delivery.model_dump()
    kept = after.takes[-1]
    assert (kept.purpose, kept.current) == ("talk", False)
    at_each.clear()
    told.clear()
    from_file.keep_file(boathouse, "talk", file, channel=None)
    assert (told[0], told[-1]) == (0.0, None)
    assert shows(boathouse, "takes")[-1].current
