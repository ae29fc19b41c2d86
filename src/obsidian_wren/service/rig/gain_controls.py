"""Every place where gain can be turned on the rig in hand, in signal order."""

from __future__ import annotations

from obsidian_wren.core.derive.gain_controls import (
    GainControl,
    controls_after_converter,
    pad_control,
    preamp_control,
)
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import learned_taper, rig_device
from obsidian_wren.service.rig.rigs import knob_of


def gain_controls(ctx: RigContext) -> tuple[GainControl, ...]:
    """The controls as they stand. What was learned of them is kept in rows, so nothing is computed
    here."""
    interface = ctx.rig.interface
    pad = []
    if interface.pad_db is not None:
        pad = [pad_control(is_in=ctx.rig.pad_on, loss_db=interface.pad_db)]
    device = rig_device(ctx)
    after = controls_after_converter(
        trim_db=ctx.rig.trim_db,
        slider_percent=None if device is None else device.slider_percent,
        program_db=ctx.rig.program_db,
        slider_taper=learned_taper(ctx, "slider"),
    )
    return (*pad, _preamp(ctx), *after)


def _preamp(ctx: RigContext) -> GainControl:
    interface = ctx.rig.interface
    if interface.knob == "dial":
        return preamp_control(
            "dial",
            ctx.rig.dial,
            low=interface.dial_low,
            high=interface.dial_high,
            step=interface.dial_step,
            taper=learned_taper(ctx, "preamp"),
        )
    if ctx.rig.source == "simulated":
        knob = knob_of(ctx.app, ctx.rig)
        return preamp_control(
            "dB", knob.gain_db, low=knob.low_db, high=knob.high_db, step=knob.step_db
        )
    return preamp_control(
        "dB",
        ctx.rig.gain_db,
        low=interface.gain_low_db,
        high=interface.gain_high_db,
        step=interface.gain_step_db,
    )
