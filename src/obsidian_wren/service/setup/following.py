"""What follows from a changed rig: its controls, the simulated world, the gain plan."""

from __future__ import annotations

from obsidian_wren.ports.world import MicrophonePlacement
from obsidian_wren.service.calibration.levels import derive_levels
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation


def align_controls(ctx: RigContext) -> None:
    """Bring the knob, and the simulated world, in line with what the rig is made of."""
    if ctx.rig.interface.knob == "dial" and ctx.rig.dial is None:
        ctx.rig.dial = (ctx.rig.interface.dial_low + ctx.rig.interface.dial_high) / 2.0
    if ctx.rig.interface.pad_db is None:
        ctx.rig.pad_on = False
    if ctx.rig.source == "simulated":
        # The person says where the microphone stands; in the simulated world it then stands there.
        ctx.rig.spec_json = ctx.app.world.placed(
            ctx.rig.spec_json,
            MicrophonePlacement(ctx.rig.distance_cm, ctx.rig.angle_deg, ctx.rig.microphone.pattern),
        )
        if ctx.rig.gain_db is None:
            ctx.rig.gain_db = ctx.app.world.knob_of(ctx.rig.spec_json).gain_db
        ctx.rig.rate_hz = ctx.app.world.rate_of(ctx.rig.spec_json)


def rederive_plan(app: AppContext) -> None:
    """The aim and the microphone's data reach the gain plan without a new take."""
    with app.sessions.begin() as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        if session.get(Derivation, (rig.id, "gain")) is not None:
            derive_levels(ctx)
