"""What a take made now would be made at: where every control of the rig stands."""

from __future__ import annotations

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.core.derive.taper import Taper
from obsidian_wren.ports.world import Controls
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import ComputerRow, TaperRow


def rig_device(ctx: RigContext) -> SoundDevice | None:
    """The computer's device that the rig's interface shows up as, None when it is not there."""
    row = ctx.session.get(ComputerRow, 1)
    if row is None or ctx.rig.device_key is None:
        return None
    return next(
        (
            d
            for d in ctx.app.world.computer.devices(row.body)
            if d.present and device_key(d) == ctx.rig.device_key
        ),
        None,
    )


def controls_of(ctx: RigContext) -> Controls:
    """Where every control of the rig stands now."""
    device = rig_device(ctx)
    dial = ctx.rig.dial if ctx.rig.interface.knob == "dial" else None
    return Controls(
        gain_db=ctx.rig.gain_db if dial is None else None,
        dial=dial,
        pad_on=ctx.rig.pad_on,
        trim_db=ctx.rig.trim_db,
        slider_percent=device.slider_percent if device else 100.0,
        enhancements=device.enhancements if device else False,
        bits=device.bits if device else 24,
        things_off=frozenset(ctx.rig.things_off),
    )


def facts_of(ctx: RigContext) -> dict[str, Value]:
    """What a take made now would be made at."""
    device = rig_device(ctx)
    dial = ctx.rig.dial if ctx.rig.interface.knob == "dial" else None
    return {
        "gain_db": _gain(ctx, dial),
        "dial": dial,
        "pad_on": ctx.rig.pad_on,
        "trim_db": ctx.rig.trim_db,
        "slider": device.slider_percent if device else None,
        "program_db": ctx.rig.program_db,
        "distance_cm": ctx.rig.distance_cm,
        "angle_deg": ctx.rig.angle_deg,
        "height_cm": ctx.rig.height_cm,
        "pop_screen": ctx.rig.pop_screen,
        "foam": ctx.rig.foam,
        "shock_mount": ctx.rig.shock_mount,
        "support": ctx.rig.support,
        "microphone": ctx.rig.microphone.name,
        "pattern": ctx.rig.microphone.pattern,
        "interface": ctx.rig.interface.name,
        "room": ctx.rig.room.name,
        "source": ctx.rig.source,
        "enhancements": device.enhancements if device else False,
    }


def _gain(ctx: RigContext, dial: float | None) -> float | None:
    if dial is None:
        return ctx.rig.gain_db
    taper = learned_taper(ctx, "preamp")
    if taper is None:
        return None
    return round(taper.gain_db(dial), 2)


def learned_taper(ctx: RigContext, control: str) -> Taper | None:
    """What was learned of a control, None where nothing was."""
    row = ctx.session.get(TaperRow, (ctx.rig.interface_id, control))
    if row is None:
        return None
    return Taper(*(tuple(row.body[name]) for name in ("positions", "gains_db", "errors_db")))
