"""The boathouse's rig, set up through the services as a person would."""

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.preferences import PreferencesBody
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


def rig_fields(app, **changes):
    """What the rig in hand is, with changes."""
    rig = shows(app, "rig")
    return RigFields(**{**rig.model_dump(include=set(RigFields.model_fields)), **changes})


def change(app, **changes):
    rig_changes.change_rig(app, rig_fields(app, **changes))


def use_boathouse(app, **changes):
    rig = shows(app, "rig")
    things.keep_thing(app, "microphone", MICROPHONE, rig.microphone_id)
    things.keep_thing(app, "interface", INTERFACE, rig.interface_id)
    things.keep_thing(app, "room", ROOM, rig.room_id)
    change(app, **{"distance_cm": 22, "angle_deg": 20, "source": "simulated", **changes})


def shape_voice(app):
    """Have the tone bring the voice itself to average speech, so that there are bands."""
    settings.change_preferences(app, PreferencesBody(shape_percent=100.0))


def preamp(app):
    """Where the preamp stands, dB."""
    return next(control.position for control in shows(app, "controls") if control.key == "preamp")


def status(app):
    """The status of each step."""
    return {step.name: step.status for step in shows(app, "steps")}


def setting(app, stage, name):
    """A setting of a stage, as the page shows it."""
    return next(s for s in shows(app, "settings") if (s.stage, s.name) == (stage, name))
