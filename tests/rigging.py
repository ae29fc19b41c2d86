"""The boathouse's rig, set up through the services as a person would."""

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.wishes import WishesBody
from obsidian_wren.service.rig.fields import (
    InterfaceFields,
    MicrophoneFields,
    RigFields,
    RoomFields,
)
from obsidian_wren.service.setup import rig_changes, things
from shown import shows

MICROPHONE = MicrophoneFields(
    name="Reedling 40",
    kind="condenser",
    pattern="cardioid",
    sensitivity_mv_pa=18,
    self_noise_dba=13,
    max_spl_db=134,
    needs_phantom=True,
)
INTERFACE = InterfaceFields(
    name="Towpath Two",
    gain_low_db=0,
    gain_high_db=56,
    gain_step_db=1,
    pad_db=10,
    max_input_dbu=9,
    ein_dbu=-127,
    has_phantom=True,
)
ROOM = RoomFields(
    name="Boathouse loft", length_m=4.6, width_m=3.4, height_m=2.4, surfaces="furnished"
)


def rig_fields(ws, **changes):
    """What the rig in hand is, with changes."""
    rig = shows(ws, "rig")
    return RigFields(**{**rig.model_dump(include=set(RigFields.model_fields)), **changes})


def change(ws, **changes):
    rig_changes.change_rig(ws, rig_fields(ws, **changes))


def use_boathouse(ws, **changes):
    rig = shows(ws, "rig")
    things.keep_thing(ws, "microphone", MICROPHONE, rig.microphone_id)
    things.keep_thing(ws, "interface", INTERFACE, rig.interface_id)
    things.keep_thing(ws, "room", ROOM, rig.room_id)
    change(ws, **{"distance_cm": 22, "angle_deg": 20, "source": "simulated", **changes})


def shape_voice(ws):
    """Have the tone bring the voice itself to average speech, so that there are bands."""
    settings.change_wishes(ws, WishesBody(shape_percent=100.0))


def preamp(ws):
    """Where the preamp stands, dB."""
    return next(control.position for control in shows(ws, "controls") if control.key == "preamp")


def status(ws):
    """The status of each step."""
    return {step.name: step.status for step in shows(ws, "steps")}


def setting(ws, stage, name):
    """A setting of a stage, as the page shows it."""
    return next(s for s in shows(ws, "settings") if (s.stage, s.name) == (stage, name))
