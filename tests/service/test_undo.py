"""Undo and redo."""

import pytest
from sqlalchemy import delete

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.preferences import BandValue
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


def seen(app):
    """Everything that a person decides, as the page shows it."""
    shown = overview(app)
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
    "confirm": lambda app: confirming.confirm_step(app, "tone"),
    "distance": lambda app: change(app, distance_cm=15),
    "knob": lambda app: turning.turn(app, "preamp", 40.0),
    "pad": lambda app: turning.turn(app, "pad", 1.0),
    "slider": lambda app: turning.turn(app, "slider", 70.0),
    "thing": lambda app: turning.switch_thing(app, "heater", False),
    "aim": lambda app: change(app, aim_low_dbfs=-20, aim_high_dbfs=-16),
    "microphone": lambda app: things.keep_thing(
        app, "microphone", MicrophoneFields(name="Heron 2", kind="dynamic", pattern="omni"), None
    ),
    "interface data": lambda app: things.keep_thing(
        app,
        "interface",
        INTERFACE.model_copy(update={"pad_db": 20}),
        shows(app, "rig").interface_id,
    ),
    "rig": lambda app: things.add_rig(app, "Another"),
    "pin": lambda app: settings.change_setting(
        app, "highpass", "frequency_hz", value=120.0, band=None, pinned=True
    ),
    "shape": shape_voice,
    "band": lambda app: settings.change_setting(
        app,
        "equalizer",
        "band-2",
        value=None,
        band=BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1),
        pinned=True,
    ),
    "discard": lambda app: discarding.discard_take(
        app, next(t.id for t in shows(app, "takes") if t.purpose == "talk" and t.current)
    ),
    "sound settings": lambda app: computer_changes.change_device(app, "in-3", "enhancements", True),
    "name": lambda app: computer_changes.name_device(app, "in-3", "Loft mic"),
    "unplug": lambda app: computer_changes.unplug(app, "in-3"),
    "pick": lambda app: listeners.pick_input(app, "call", "Wren: call"),
    "response": lambda app: rig_changes.attach_response(
        app, "r.txt", [[20.0, -6.0], [1000.0, 0.0], [20000.0, 3.0]]
    ),
}


def test_every_change_can_be_undone_and_made_again(boathouse):
    app = boathouse
    with app.sessions.begin() as session:
        session.execute(delete(Confirmed).where(Confirmed.step == "tone"))
    app.changed()
    assert shows(app, "undo") is None
    states = [seen(app)]
    for make in CHANGES.values():
        make(app)
        states.append(seen(app))
        assert states[-1] != states[-2]
        # Another rig is in hand after one was added: come back, since the rest is about the first.
        if states[-1]["rig"].name == "Another":
            things.use_rig(app, states[-1]["rigs"][0].id)
            states.append(seen(app))
    for before in reversed(states[:-1]):
        put_back.undo(app)
        assert seen(app) == before
    assert shows(app, "undo") is None
    with pytest.raises(Refused, match="nothing to undo"):
        put_back.undo(app)
    assert shows(app, "redo").title
    for _ in states[1:]:
        put_back.redo(app)
    assert shows(app, "redo") is None
    assert seen(app) == states[-1]


def test_a_new_change_ends_what_could_be_redone(boathouse):
    change(boathouse, distance_cm=15)
    put_back.undo(boathouse)
    assert shows(boathouse, "redo").title == "Rig: distance"
    change(boathouse, distance_cm=30)
    assert shows(boathouse, "redo") is None


def test_undoing_a_pin_after_a_new_fit_lets_the_same_band_go(boathouse):
    app = boathouse
    shape_voice(app)
    band = BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1)
    settings.change_setting(app, "equalizer", "band-2", value=None, band=band, pinned=True)
    settings.fit_again(app)
    assert any(s.band == band for s in shows(app, "settings"))
    put_back.undo(app)
    assert not any(s.pinned for s in shows(app, "settings"))
