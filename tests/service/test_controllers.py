"""What is bound to knobs and pads: kept per device, undone, named, written as an open file."""

import pytest
from pydantic import ValidationError

from obsidian_wren.service.calibration import stages
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.setup import controllers
from obsidian_wren.service.setup.controllers import Control, Does
from obsidian_wren.service.undo.put_back import redo, undo
from shown import shows

KNOB = Control(device="Small box", kind="control", channel=1, number=21)
PAD = Control(device="Small box", kind="note", channel=10, number=36)
RATIO = Does(do="setting", stage="compressor", name="ratio")


def bound(app):
    return [(row.kind, row.number, row.do, row.title) for row in shows(app, "bindings")]


def test_a_knob_turns_one_thing_and_another_binding_takes_its_place(boathouse):
    controllers.bind(boathouse, KNOB, RATIO)
    controllers.bind(boathouse, PAD, Does(do="mute"))
    assert bound(boathouse) == [
        ("control", 21, "setting", "Compressor: ratio"),
        ("note", 36, "mute", "Mute every feed"),
    ]
    controllers.bind(boathouse, KNOB, Does(do="stage", stage="lowpass"))
    assert bound(boathouse)[0] == ("control", 21, "stage", "Low-pass on or off")
    undo(boathouse)
    assert bound(boathouse)[0][3] == "Compressor: ratio"
    redo(boathouse)
    (first, *_) = shows(boathouse, "bindings")
    controllers.let_go(boathouse, first.id)
    assert [row[0] for row in bound(boathouse)] == ["note"]
    with pytest.raises(Refused, match="no longer assigned"):
        controllers.let_go(boathouse, first.id)


@pytest.mark.parametrize(
    "does",
    [
        Does(do="setting", stage="compressor", name="nothing"),
        Does(do="setting", stage="nothing", name="ratio"),
        Does(do="stage"),
        Does(do="clip", clip=999),
    ],
)
def test_what_is_not_there_cannot_be_bound(boathouse, does):
    with pytest.raises(Refused):
        controllers.bind(boathouse, KNOB, does)
    assert bound(boathouse) == []


def test_messages_are_those_of_the_standard():
    for wrong in ({"channel": 0}, {"channel": 17}, {"number": 128}, {"kind": "pitch"}):
        with pytest.raises(ValidationError):
            Control(**{**KNOB.model_dump(), **wrong})


def test_what_a_knob_turned_and_is_gone_is_said_to_be_gone(boathouse):
    stages.add_stage(boathouse, "equalizer")
    controllers.bind(boathouse, KNOB, Does(do="stage", stage="equalizer-2"))
    assert bound(boathouse)[0][3] == "Equalizer 2 on or off"
    stages.remove_stage(boathouse, "equalizer-2")
    assert bound(boathouse)[0][3] is None


def test_the_file_holds_every_binding(boathouse):
    controllers.bind(boathouse, KNOB, RATIO)
    found = controllers.as_file(boathouse)
    assert (found["format"], found["version"]) == ("obsidian-wren/controllers", 1)
    assert found["bindings"] == [
        {
            "device": "Small box",
            "kind": "control",
            "channel": 1,
            "number": 21,
            "action": {"do": "setting", "stage": "compressor", "name": "ratio"},
        }
    ]
