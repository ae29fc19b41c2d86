"""Situations: one calibration, decided otherwise, switched live."""

import numpy as np
import pytest

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.service import live
from obsidian_wren.service.calibration import settings, stages
from obsidian_wren.service.calibration.chain_rows import chain_specs
from obsidian_wren.service.calibration.preferences import PreferencesBody
from obsidian_wren.service.carry import decisions
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.exporting import export_report
from obsidian_wren.service.live import living
from obsidian_wren.service.outside.commands import obey
from obsidian_wren.service.outside.status import status
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup.confirming import confirm_step
from obsidian_wren.service.situations import comparing, following, keeping, switching
from obsidian_wren.service.undo import put_back
from rigging import change
from shown import shows
from signals import RATE, sine


def by_name(app):
    with app.sessions() as session:
        return {row.name: row.id for row in decisions.situations(in_hand(app, session))}


def now(app):
    with app.sessions() as session:
        row = decisions.in_force(in_hand(app, session))
        return None if row is None else row.name


def specs(app):
    with app.sessions() as session:
        return chain_specs(in_hand(app, session))


def warm(app, db):
    settings.change_preferences(app, PreferencesBody.model_validate({"taste": {"warmth_db": db}}))


@pytest.fixture
def two(boathouse):
    """“Plain” as the boathouse is, and “Late”: warmer, the gate held on, the stream in use."""
    keeping.make(boathouse, "Plain")
    warm(boathouse, 3.0)
    stages.switch_stage(boathouse, "gate", True)
    listeners.use_listener(boathouse, stream(boathouse), True)
    keeping.make(boathouse, "  Late  ")
    return boathouse


def stream(app):
    return next(row.key for row in shows(app, "destinations") if row.kind == "stream")


def in_use(app, key):
    return next(row.on for row in shows(app, "destinations") if row.key == key)


def test_a_situation_is_how_it_was_decided_when_it_was_made(two):
    assert now(two) == "Late"
    late = specs(two)
    switching.use(two, by_name(two)["Plain"])
    assert now(two) == "Plain"
    plain = specs(two)
    assert plain != late
    assert not in_use(two, stream(two))
    assert shows(two, "preferences").taste is None
    switching.use(two, by_name(two)["Late"])
    # As it was, to the last digit.
    assert specs(two) == late
    assert in_use(two, stream(two))


def test_what_is_derived_for_it_is_what_stands_where_nothing_is_kept(two):
    """Kept settings are those that would be derived."""
    late = specs(two)
    with two.sessions.begin() as session:
        for row in decisions.situations(in_hand(two, session)):
            row.sha256 = row.basis = None
    switching.use(two, by_name(two)["Plain"])
    switching.use(two, by_name(two)["Late"])
    assert specs(two) == late


def test_where_the_rig_is_another_it_is_derived_anew(two):
    """Settings of a rig at another distance are not put back."""
    names = by_name(two)
    switching.use(two, names["Plain"])
    change(two, distance_cm=40)
    with two.sessions() as session:
        ctx = in_hand(two, session)
        late = next(row for row in decisions.situations(ctx) if row.name == "Late")
        assert late.basis != decisions.basis_of(ctx)
    switching.use(two, names["Late"])
    assert now(two) == "Late"
    assert shows(two, "preferences").taste.warmth_db == 3.0
    with two.sessions() as session:
        assert in_hand(two, session).rig.distance_cm == 40.0


def test_one_undo_takes_a_switch_back_and_a_redo_makes_it_again(two):
    late = specs(two)
    switching.use(two, by_name(two)["Plain"])
    plain = specs(two)
    put_back.undo(two)
    assert (now(two), specs(two)) == ("Late", late)
    assert in_use(two, stream(two))
    put_back.redo(two)
    assert (now(two), specs(two)) == ("Plain", plain)


def test_something_else_that_is_decided_belongs_to_no_situation_until_it_is_kept(two):
    warm(two, 1.0)
    assert now(two) is None
    keeping.renew(two, by_name(two)["Late"])
    assert now(two) == "Late"
    switching.use(two, by_name(two)["Plain"])
    switching.use(two, by_name(two)["Late"])
    assert shows(two, "preferences").taste.warmth_db == 1.0


def test_pinned_bands_come_and_go_with_it(boathouse):
    warm(boathouse, 3.0)
    keeping.make(boathouse, "Free")
    band = next(row for row in shows(boathouse, "settings") if row.stage == "equalizer")
    settings.change_setting(
        boathouse,
        "equalizer",
        band.name,
        value=None,
        band=band.band.model_copy(update={"gain_db": -4.0}),
        pinned=True,
    )
    keeping.make(boathouse, "Held")
    for name, held in (("Free", 0), ("Held", 1), ("Free", 0), ("Held", 1)):
        switching.use_by_name(boathouse, name)
        assert now(boathouse) == name
        bands = [row for row in shows(boathouse, "settings") if row.stage == "equalizer"]
        assert [row.band.gain_db for row in bands if row.pinned] == [-4.0] * held


def test_names_are_one_of_a_kind_and_none_is_empty(two):
    with pytest.raises(Refused, match="of this name"):
        keeping.make(two, "late")
    with pytest.raises(Refused, match="needs a name"):
        keeping.make(two, "   ")
    keeping.rename(two, by_name(two)["Late"], "Evening")
    keeping.remove(two, by_name(two)["Plain"])
    assert list(by_name(two)) == ["Evening"]
    put_back.undo(two)
    assert set(by_name(two)) == {"Plain", "Evening"}
    with pytest.raises(Refused, match="no longer stored"):
        keeping.rename(two, 999, "x")
    with pytest.raises(Refused, match="Evening"):
        switching.use_by_name(two, "Morning")


def test_before_there_is_a_calibration_there_is_nothing_to_decide(app):
    with pytest.raises(Refused, match="no calibration yet"):
        keeping.make(app, "Early")
    with pytest.raises(Refused, match="no situations yet"):
        switching.use_next(app)


def test_there_are_so_many_and_no_more(boathouse, monkeypatch):
    monkeypatch.setattr(keeping, "MOST_SITUATIONS", 2)
    keeping.make(boathouse, "One")
    keeping.make(boathouse, "Two")
    with pytest.raises(Refused, match="There are 2 situations already"):
        keeping.make(boathouse, "Three")


def test_live_goes_over_from_one_to_the_other(two):
    living.start_run(two)
    run = live.current(two).running
    switching.use_next(two)
    assert now(two) == "Plain"
    assert live.current(two).running is not None
    assert obey(two, ["situation", "late"]) == "Situation: Late."
    assert status(two).situation == "Late"
    assert "stream" in {seat.key for seat in live.current(two).running.seats}
    assert run is not None
    living.stop_run(two)


def test_what_differs_is_told_in_the_order_of_the_job(two):
    with two.sessions() as session:
        ctx = in_hand(two, session)
        plain, late = (row.decisions for row in decisions.situations(ctx))
        told = {
            each.title: (each.first, each.second) for each in decisions.differing(ctx, plain, late)
        }
        assert decisions.differing(ctx, late, late) == []
    assert told["Warmth"] == ("0 dB", "+3.0 dB")
    assert told["Gate"] == ("automatic", "on")
    assert told[next(title for title in told if "in use" in title)] == ("no", "yes")
    assert len(told) == 3


def test_a_tone_goes_over_without_a_step(two):
    """No two samples lie further apart than in the tone itself, by −80 dBFS."""
    late = specs(two)
    switching.use(two, by_name(two)["Plain"])
    plain = specs(two)
    tone, block = sine(110, -20.0, 4.0), RATE // 100
    chain, out = VoiceChain(plain, RATE), []
    for at in range(0, len(tone), block):
        if at % RATE == 0 and at:
            chain.change(late if at // RATE % 2 else plain)
        out.append(chain.process(tone[at : at + block]))
    bends = np.abs(np.diff(np.concatenate(out), 2))[RATE // 2 :]
    steady = max(bends[: RATE // 2].max(), bends[RATE : RATE + RATE // 2].max())
    assert bends.max() - steady < 1e-4
    assert not np.allclose(out[90], out[190], atol=1e-3)


def follows(app, name, key):
    keeping.follow_listener(app, by_name(app)[name], key)


def picks(app, key, feed):
    listeners.pick_input(app, key, feed)
    following.attend(app)


@pytest.fixture
def followed(two):
    """“Late” follows the call; nobody records its feed yet."""
    call = next(row for row in shows(two, "destinations") if row.kind == "call")
    raw = next(row.name for row in shows(two, "inputs") if row.name != call.feed)
    listeners.pick_input(two, call.key, raw)
    switching.use(two, by_name(two)["Plain"])
    follows(two, "Late", call.key)
    return two, call, raw


def test_it_is_used_while_a_program_records_the_listener_and_left_again(followed):
    app, call, raw = followed
    following.attend(app)
    assert now(app) == "Plain"
    picks(app, call.key, call.feed)
    assert now(app) == "Late"
    assert next(row for row in shows(app, "situations") if row.used_by_itself).name == "Late"
    following.attend(app)
    picks(app, call.key, raw)
    assert now(app) == "Plain"


def test_what_the_person_chooses_meanwhile_stays(followed):
    app, call, raw = followed
    picks(app, call.key, call.feed)
    switching.use(app, by_name(app)["Plain"])
    following.attend(app)
    assert now(app) == "Plain"
    picks(app, call.key, raw)
    assert now(app) == "Plain"


def test_it_is_held_off_for_now_and_not_for_good(followed):
    app, call, _raw = followed
    following.hold_off(app, True)
    picks(app, call.key, call.feed)
    assert now(app) == "Plain"
    assert shows(app, "following").held_off
    following.hold_off(app, False)
    assert now(app) == "Late"


def test_it_never_moves_while_a_marker_flies(followed):
    app, call, _raw = followed
    living.start_run(app)
    run = live.current(app).running
    run.marker_in_flight = True
    picks(app, call.key, call.feed)
    assert now(app) == "Plain"
    assert "waits for the end of the marker" in shows(app, "following").waits
    run.marker_in_flight = False
    following.attend(app)
    assert now(app) == "Late"
    assert shows(app, "following").waits is None
    living.stop_run(app)


def test_one_listener_is_followed_by_one_and_only_one_with_a_feed(followed):
    app, call, _raw = followed
    with pytest.raises(Refused, match="Another situation follows"):
        follows(app, "Plain", call.key)
    with pytest.raises(Refused, match="no feed"):
        follows(app, "Plain", "headphones")
    follows(app, "Late", None)
    assert all(row.follows is None for row in shows(app, "situations"))


def test_two_are_compared_by_what_is_decided_and_what_comes_of_it(two):
    names = by_name(two)
    found = comparing.compare(two, names["Plain"], names["Late"])
    assert "Warmth" in {each.title for each in found["decided"]}
    assert {row["title"] for row in found["compared"]["settings"]} >= {"Gate"}
    assert max(found["compared"]["db"]) > 0.5
    # How it is now is the situation in force.
    assert comparing.compare(two, 0, names["Late"])["decided"] == []
    with two.sessions.begin() as session:
        decisions.situations(in_hand(two, session))[0].sha256 = None
    assert comparing.compare(two, names["Plain"], names["Late"])["compared"] is None


def test_a_version_and_a_report_say_which_it_is(two):
    confirm_step(two, "steady")
    assert shows(two, "versions")[0].note == "Situation: Late."
    html = export_report(two)
    assert "Situations" in html
    assert "Warmth: 0 dB" in html
