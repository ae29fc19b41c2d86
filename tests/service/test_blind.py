"""Blind series: fair, secret, matched, kept."""

import io
import json

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.service.calibration import stages
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.page.overview import overview_json
from obsidian_wren.service.prove import blind
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.models import Series
from shown import overview, shows


def sound(app, which):
    return soundfile.read(io.BytesIO(blind.series_sound(app, which)))


def hidden(app):
    with app.sessions() as session:
        return session.query(Series).order_by(Series.id.desc()).first().order


def played(app, second="raw", kind="prefer", rounds=8, choose=lambda is_one: "one"):
    """A series answered by somebody who may know what is hidden."""
    blind.begin_series(app, second, kind, rounds)
    for number, is_one in enumerate(hidden(app)):
        blind.answer_series(app, number, choose(is_one))
    return shows(app, "ended_series")[0]


def first_one(is_one):
    return "one" if is_one else "other"


def test_every_stage_that_runs_can_be_compared(boathouse):
    seen = overview(boathouse, "pairs", "stages")
    running = [stage.key for stage in seen.stages if stage.on]
    assert [pair.second for pair in seen.pairs] == ["raw", *(f"without:{key}" for key in running)]


def test_both_are_one_sentence_in_step_and_as_loud(boathouse):
    blind.begin_series(boathouse, "raw", "prefer", 8)
    (one, rate), (other, _) = sound(boathouse, "one"), sound(boathouse, "other")
    assert len(one) == len(other) == 8 * rate
    loudness = [integrated_lufs(each, rate_hz=rate) for each in (one, other)]
    assert abs(loudness[0] - loudness[1]) <= 0.1
    # Where one goes up and down, the other does.
    lag = np.argmax(np.correlate(one[: 2 * rate], other[: 2 * rate], "full")) - (2 * rate - 1)
    assert abs(lag) <= 1
    said = shows(boathouse, "series")
    assert said.apart_lu <= 0.1
    assert said.loudness_lufs == pytest.approx(loudness[0], abs=0.1)


def test_nothing_tells_which_is_which_before_the_end(boathouse):
    blind.begin_series(boathouse, "raw", "prefer", 8)
    told = json.dumps(json.loads(overview_json(boathouse))["series"])
    assert "order" not in told
    assert "true" not in told
    # The same sound never comes as the same bytes, nor in another number of them.
    first, again, other = (blind.series_sound(boathouse, w) for w in ("one", "one", "other"))
    assert first != again
    assert len(first) == len(again) == len(other)


def test_the_first_is_called_one_as_often_as_not(boathouse):
    orders = []
    for _ in range(30):
        blind.begin_series(boathouse, "raw", "prefer", 8)
        orders.append(tuple(hidden(boathouse)))
        blind.end_series(boathouse)
    assert {sum(order) for order in orders} == {4}
    assert len(set(orders)) > 10
    assert shows(boathouse, "ended_series") == []


def test_who_always_picks_the_treated_voice_prefers_it(boathouse):
    found = played(boathouse, choose=first_one)
    assert (found.first, found.rounds, found.heard) == (8.0, 8, True)
    assert found.sentence == (
        "You prefer the treated voice. Chance alone would do this 8 times in 1,000."
    )
    assert (found.chance_low, found.chance_high) == (1, 7)


def test_no_difference_is_half_to_each_and_the_stage_can_be_left_off(boathouse):
    key = next(s.key for s in shows(boathouse, "stages") if s.on and s.switchable)
    found = played(boathouse, second=f"without:{key}", choose=lambda _: "same")
    assert (found.first, found.same, found.heard) == (4.0, 8, False)
    assert found.leave_off.startswith("Leave the ")
    stages.switch_stage(boathouse, found.stage, False)
    assert shows(boathouse, "ended_series")[0].leave_off is None


def test_naming_the_raw_one_wrongly_is_not_hearing_it(boathouse):
    found = played(boathouse, kind="which", choose=lambda is_one: first_one(not is_one))
    assert (found.first, found.heard) == (0.0, False)
    assert "You cannot tell" in found.sentence


def test_a_series_is_undone_and_made_again(boathouse):
    played(boathouse, choose=first_one)
    put_back.undo(boathouse)
    assert shows(boathouse, "ended_series") == []
    put_back.redo(boathouse)
    (found,) = shows(boathouse, "ended_series")
    blind.discard_series(boathouse, found.id)
    assert shows(boathouse, "ended_series") == []
    put_back.undo(boathouse)
    assert [one.id for one in shows(boathouse, "ended_series")] == [found.id]


def test_what_is_out_of_turn_is_refused(boathouse):
    with pytest.raises(Refused, match="No series is running"):
        blind.answer_series(boathouse, 0, "one")
    with pytest.raises(Refused, match="No series is running"):
        blind.series_sound(boathouse, "one")
    with pytest.raises(Refused, match="no longer exists"):
        blind.begin_series(boathouse, "without:moon", "prefer", 8)
    blind.begin_series(boathouse, "raw", "prefer", 8)
    with pytest.raises(Refused, match="A series is running"):
        blind.begin_series(boathouse, "raw", "prefer", 8)
    blind.answer_series(boathouse, 0, "one")
    with pytest.raises(Refused, match="already answered"):
        blind.answer_series(boathouse, 0, "other")
