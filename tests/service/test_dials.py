"""Dials and sliders learned from takes."""

import pytest

from obsidian_wren.service.context import clock
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.fields import InterfaceFields
from obsidian_wren.service.setup import (
    things,
    turning,
)
from obsidian_wren.service.takes import keeping, simulated
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.store import parts
from rigging import use_boathouse
from shown import shows
from signals import RATE, noise


def test_a_dial_is_learned_and_advice_is_spoken_in_its_numbers(app):
    use_boathouse(app)
    things.keep_thing(
        app, "interface", InterfaceFields(name="Staithe One", knob="dial", max_input_dbu=9), None
    )
    turning.turn(app, "preamp", 4.0)
    simulated.start_simulated(app, "talk")
    assert "Learn the dial" in next(
        m.because for m in shows(app, "gain_plan").moves if m.key == "preamp"
    )
    for position in (2.0, 4.0, 6.0, 8.0):
        simulated.start_simulated(app, "dial", position=position)
    truth = dict(WorldSpec.model_validate_json(app.world.default_spec).interface.dial_db)
    control = next(c for c in shows(app, "controls") if c.key == "preamp")
    for position, gain, error in control.learned:
        assert gain == pytest.approx(truth[position] - truth[2.0], abs=0.3)
        assert error < 0.3
    assert control.position == 4.0
    plan = shows(app, "gain_plan")
    assert plan.sentence.startswith("Turn the preamp from 4 to about 6¼")
    turning.turn(app, "preamp", next(m.target for m in plan.moves if m.key == "preamp"))
    assert "dial at 4, now" in next(step.why for step in shows(app, "steps") if step.name == "gain")
    simulated.start_simulated(app, "talk")
    assert -15.5 <= shows(app, "talk").peak_dbfs <= -9.5


def test_the_slider_is_learned_too(boathouse):
    for position in (50.0, 100.0):
        simulated.start_simulated(boathouse, "dial", position=position, learns="slider")
    control = next(c for c in shows(boathouse, "controls") if c.key == "slider")
    assert control.learned[-1][1] == pytest.approx(8.6, abs=0.3)
    assert control.position == 100.0
    with pytest.raises(Refused, match="Enter the mark"):
        simulated.start_simulated(boathouse, "dial")


def test_a_steady_sound_that_was_none_keeps_its_sentence(app):
    use_boathouse(app, source="file")
    things.keep_thing(app, "interface", InterfaceFields(name="Staithe One", knob="dial"), None)

    def mark(position, level):
        facts = {"dial": position, "learns": "preamp", "interface": "Staithe One"}
        info = parts.PartInfo("dial", RATE, "file", facts, clock.now())
        keeping.keep(app, info, noise(level, 5.0), half=False)

    mark(2.0, 0.01)
    mark(4.0, 0.001)
    assert "steady sound" in shows(app, "takes")[-1].fault
