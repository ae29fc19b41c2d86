"""Controls turned, and things in the simulated room switched."""

from __future__ import annotations

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.gain_controls import SLIDER_RANGE, TRIM_RANGE_DB
from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.live.simulated import let_rig_follow
from obsidian_wren.service.rig.computer_rows import note_device, set_device
from obsidian_wren.service.rig.facts import rig_device
from obsidian_wren.service.rig.rigs import in_hand, knob_of, the_rig
from obsidian_wren.service.words import Control

_RANGES: dict[str, tuple[float, float]] = {
    # Further than any preamp goes: a real one is counted from where it stands.
    "preamp": (-40.0, 90.0),
    "pad": (0.0, 1.0),
    "trim": TRIM_RANGE_DB,
    "slider": SLIDER_RANGE,
    "program": TRIM_RANGE_DB,
}
_TITLES = {
    "preamp": _("the preamp"),
    "pad": _("the pad"),
    "trim": _("the device’s output"),
    "slider": _("the input slider"),
    "program": _("the program’s trim"),
}


def turn(app: AppContext, control: Control, position: float) -> float:
    """Turn a control to a position.

    Simulated ones really turn; for real ones it is the person's word. Returns where it stands.
    """
    with app.sessions() as session:
        rig = the_rig(app, session)
    low, high = _RANGES[control]
    if control == "preamp" and rig.interface.knob == "dial":
        low, high = rig.interface.dial_low, rig.interface.dial_high
    if not low <= position <= high:
        raise Refused(
            "range",
            _(
                "{titles} goes from {low:g} to {high:g}. Choose a position in between.",
                titles=_TITLES[control].capitalize(),
                low=low,
                high=high,
            ),
        )
    refuse_during_take(app)
    slider = _slider(app, position) if control == "slider" else None
    if slider is not None:
        note_device(app, slider)
    with change(app, _("Turned {titles}", titles=_TITLES[control])) as session:
        rig = the_rig(app, session)
        if slider is not None:
            set_device(app, session, slider)
        elif control == "preamp" and rig.interface.knob == "dial":
            rig.dial = position
        elif control == "preamp":
            if rig.source == "simulated":
                position = knob_of(app, rig).nearest_db(position)
            rig.gain_db = position
        elif control == "pad":
            if rig.interface.pad_db is None:
                raise Refused(
                    "no-pad", _("This interface has no pad. If it has one, enter it in Rig.")
                )
            rig.pad_on = bool(position)
        elif control == "trim":
            rig.trim_db = position
        else:
            rig.program_db = position
        session.flush()
        let_rig_follow(app, session)
    app.changed()
    return position


def _slider(app: AppContext, percent: float) -> Change:
    with app.sessions() as session:
        device = rig_device(in_hand(app, session))
    if device is None:
        raise Refused(
            "no-device",
            _("The interface is not plugged in, so its slider cannot be set. Plug it in first."),
        )
    return Change(device.id, "slider_percent", percent)


def turn_knob(app: AppContext, gain_db: float) -> float:
    """Turn the preamp."""
    return turn(app, "preamp", gain_db)


def switch_thing(app: AppContext, name: str, on: bool) -> None:
    """Switch something in the simulated room on or off, and let what listens hear it at once."""
    with change(
        app,
        (_("Switched {name} on", name=name) if on else _("Switched {name} off", name=name)),
    ) as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        if name not in app.world.things_of(rig.spec_json):
            raise Refused(
                "no-such-thing", _("There is no “{name}” in the simulated room.", name=name)
            )
        rig.things_off = sorted((set(rig.things_off) - {name}) | (set() if on else {name}))
        session.flush()
        let_rig_follow(app, session)
    app.changed()
