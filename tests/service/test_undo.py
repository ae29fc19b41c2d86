"""Undo and redo."""

import pytest
from sqlalchemy import delete

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.wishes import BandValue
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.fields import MicrophoneFields
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup import (
    computer_changes,
    confirming,
    rig_changes,
    things,
    turning,
)
from obsidian_wren.service.takes import discarding
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.models import Confirmed
from rigging import INTERFACE, change, shape_voice
from shown import overview, shows


def seen(ws):
    """Everything that a person decides, as the page shows it."""
    shown = overview(ws)
    fields = (
        "rig",
        "rigs",
        "microphones",
        "interfaces",
        "rooms",
        "controls",
        "computer",
        "settings",
        "destinations",
        "takes",
    )
    # What is derived from them follows by one press, so whether cleaning and chain are stale is not
    # decided.
    confirmed = {
        s.name: "confirmed" if s.name in ("clean", "steady") and s.status == "stale" else s.status
        for s in shown.steps
    }
    return {name: getattr(shown, name) for name in fields} | {"confirmed": confirmed}


CHANGES = {
    "confirm": lambda ws: confirming.confirm_step(ws, "tone"),
    "distance": lambda ws: change(ws, distance_cm=15),
    "knob": lambda ws: turning.turn(ws, "preamp", 40.0),
    "pad": lambda ws: turning.turn(ws, "pad", 1.0),
    "slider": lambda ws: turning.turn(ws, "slider", 70.0),
    "thing": lambda ws: turning.switch_thing(ws, "heater", False),
    "aim": lambda ws: change(ws, aim_low_dbfs=-20, aim_high_dbfs=-16),
    "microphone": lambda ws: things.keep_thing(
        ws, "microphone", MicrophoneFields(name="Heron 2", kind="dynamic", pattern="omni"), None
    ),
    "interface data": lambda ws: things.keep_thing(
        ws,
        "interface",
        INTERFACE.model_copy(update={"pad_db": 20}),
        shows(ws, "rig").interface_id,
    ),
    "rig": lambda ws: things.add_rig(ws, "Another"),
    "pin": lambda ws: settings.change_setting(
        ws, "highpass", "frequency_hz", value=120.0, band=None, pinned=True
    ),
    "shape": shape_voice,
    "band": lambda ws: settings.change_setting(
        ws,
        "equalizer",
        "band-2",
        value=None,
        band=BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1),
        pinned=True,
    ),
    "discard": lambda ws: discarding.discard_take(
        ws, next(t.id for t in shows(ws, "takes") if t.purpose == "talk" and t.current)
    ),
    "sound settings": lambda ws: computer_changes.change_device(ws, "in-3", "enhancements", True),
    "name": lambda ws: computer_changes.name_device(ws, "in-3", "Loft mic"),
    "unplug": lambda ws: computer_changes.unplug(ws, "in-3"),
    "pick": lambda ws: listeners.pick_input(ws, "call", "Wren: call"),
    "response": lambda ws: rig_changes.attach_response(
        ws, "r.txt", [[20.0, -6.0], [1000.0, 0.0], [20000.0, 3.0]]
    ),
}


def test_every_change_can_be_undone_and_made_again(boathouse):
    ws = boathouse
    with ws.sessions.begin() as session:
        session.execute(delete(Confirmed).where(Confirmed.step == "tone"))
    ws.changed()
    assert shows(ws, "undo") is None
    states = [seen(ws)]
    for make in CHANGES.values():
        make(ws)
        states.append(seen(ws))
        assert states[-1] != states[-2]
        # Another rig is in hand after one was added: come back, since the rest is about the first.
        if states[-1]["rig"].name == "Another":
            things.use_rig(ws, states[-1]["rigs"][0].id)
            states.append(seen(ws))
    for before in reversed(states[:-1]):
        put_back.undo(ws)
        assert seen(ws) == before
    assert shows(ws, "undo") is None
    with pytest.raises(Refused, match="nothing to undo"):
        put_back.undo(ws)
    assert shows(ws, "redo").title
    for _ in states[1:]:
        put_back.redo(ws)
    assert shows(ws, "redo") is None
    assert seen(ws) == states[-1]


def test_a_new_change_ends_what_could_be_redone(boathouse):
    change(boathouse, distance_cm=15)
    put_back.undo(boathouse)
    assert shows(boathouse, "redo").title == "Rig: distance"
    change(boathouse, distance_cm=30)
    assert shows(boathouse, "redo") is None


def test_undoing_a_pin_after_a_new_fit_lets_the_same_band_go(boathouse):
    ws = boathouse
    shape_voice(ws)
    band = BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1)
    settings.change_setting(ws, "equalizer", "band-2", value=None, band=band, pinned=True)
    settings.fit_again(ws)
    assert any(s.band == band for s in shows(ws, "settings"))
    put_back.undo(ws)
    assert not any(s.pinned for s in shows(ws, "settings"))
