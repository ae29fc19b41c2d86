"""A taste found by ear over the boathouse: pairs that are blind, and wishes like any other."""

import io
import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import soundfile

from beside import work_beside
from listeners import Indifferent, Listener
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.prove.preference import MOST_PAIRS
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove import find_sound
from obsidian_wren.service.undo import put_back
from shown import shows
from waiting import wait_until


def answered(app, listener):
    """The search to its end, by a listener who knows the places that the page does not."""
    view = find_sound.begin(app)
    while view.number is not None:
        pair = find_sound.current(app).pair
        view = find_sound.answer(app, view.number, listener(*pair))
    return view


def test_a_pair_is_two_sounds_at_one_loudness_and_one_place(boathouse):
    view = find_sound.begin(boathouse)
    assert (view.running, view.number, view.most) == (True, 1, MOST_PAIRS)
    heard = [
        soundfile.read(io.BytesIO(find_sound.sound(boathouse, which))) for which in ("one", "other")
    ]
    (one, rate), (other, _) = heard
    assert len(one) == len(other) >= 4 * rate
    loudness = [integrated_lufs(sound, rate_hz=rate) for sound in (one, other)]
    assert loudness[0] == pytest.approx(loudness[1], abs=0.1)
    # In step: the same words at the same moment, in another tone.
    assert np.corrcoef(one, other)[0, 1] > 0.3
    assert np.abs(one - other).max() > 1e-3
    # Leaving it changes nothing.
    assert not find_sound.end(boathouse).running
    with pytest.raises(Refused, match="There is no pair to hear"):
        find_sound.sound(boathouse, "one")


def test_what_is_found_becomes_wishes_that_can_be_undone(boathouse):
    listener = Listener(11)
    listener.ideal = np.array([3.0, -2.0, 3.0, 2.0, 2.0])
    view = answered(boathouse, listener)
    assert view.convinces
    assert "You preferred it in" in view.said
    wishes = {wish.name: wish for wish in view.wishes}
    for name, wanted in (("warmth_db", 3.0), ("clarity_db", 3.0)):
        assert wishes[name].value_db == pytest.approx(wanted, abs=2.5)
    find_sound.take_over(boathouse)
    kept = shows(boathouse, "preferences")
    assert kept.taste.warmth_db == wishes["warmth_db"].value_db
    assert kept.taste.density_db == wishes["density_db"].value_db
    assert kept.found.agrees <= kept.found.preferred <= MOST_PAIRS
    assert not find_sound.view(boathouse).running
    put_back.undo(boathouse)
    assert shows(boathouse, "preferences").taste is None


def test_who_is_indifferent_is_told_so_and_nothing_is_changed(boathouse):
    view = answered(boathouse, Indifferent(1, ("same",)))
    assert view.convinces is False
    assert view.wishes == []
    assert "nothing is changed" in view.said
    with pytest.raises(Refused, match="nothing is changed"):
        find_sound.take_over(boathouse)
    with pytest.raises(Refused, match="There is no pair to hear"):
        find_sound.answer(boathouse, 1, "one")


def test_what_may_come_next_is_made_while_a_pair_is_heard(boathouse, monkeypatch):
    app, made = work_beside(boathouse), []

    def counted(*given, **named):
        made.append(given)
        return render(*given, **named)

    def late(*_given, **_named):
        raise Refused("late", "It was not made ahead.")

    number = find_sound.begin(app).number
    monkeypatch.setattr(find_sound, "render", counted)
    find_sound.sound(app, "one")
    # The pair itself, and one after each of three answers.
    wait_until(lambda: len(made) == 8)
    monkeypatch.setattr(find_sound, "render", late)
    find_sound.answer(app, number, "other")
    assert find_sound.sound(app, "one") != find_sound.sound(app, "other")


def test_nobody_waits_for_the_sounds_of_a_pair_that_is_answered(boathouse, monkeypatch):
    app, begun, goes = work_beside(boathouse), threading.Event(), threading.Event()

    def slow(*given, **named):
        begun.set()
        goes.wait()
        return render(*given, **named)

    number = find_sound.begin(app).number
    monkeypatch.setattr(find_sound, "render", slow)
    with ThreadPoolExecutor(2) as others:
        heard = others.submit(find_sound.sound, app, "one")
        begun.wait()
        answered = others.submit(find_sound.answer, app, number, "one")
        with pytest.raises(Refused, match="already answered"):
            heard.result()
        goes.set()
        assert answered.result().number == number + 1
