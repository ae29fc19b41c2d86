"""What a watch compares with: the calibration as its takes say it, moved to how the rig is said to
stand now."""

from __future__ import annotations

from dataclasses import dataclass, replace

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.shift import Shift
from obsidian_wren.core.prove.sounding import Sounding
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.readings.staleness import gain_shift_db, shift_since
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Take

# Speech itself hides the room where there is little of it.
_LATE_OF_VOICE = 0.75


@dataclass(frozen=True)
class Basis:
    """Which takes a watch stands on, and what was said to have changed since: ``key`` names both,
    ``takes`` the takes alone; ``why`` it cannot watch, where it cannot."""

    key: str = ""
    takes: str = ""
    shift: Shift | None = None
    why: str | None = None


def basis_of(ctx: RigContext) -> Basis:
    """What a watch of this rig stands on."""
    quiet, spoken = _takes(ctx)
    if quiet is None or spoken is None:
        return Basis(why=_("Record the room and read the passage first."))
    shift = shift_since(spoken, facts_of(ctx), ctx.rig)
    if not shift.known:
        return Basis(why=_("Your takes are out of date. Record them again first."))
    takes = f"{quiet.sha256[:16]} {spoken.sha256[:16]}"
    return Basis(f"{takes} {shift.voice_db:.2f} {shift.room_db:.2f}", takes, shift)


def reference(app: AppContext) -> Sounding | None:
    """The calibration as a watch compares with it; None where its takes say too little."""
    from obsidian_wren.core.noticing.piece import pieces_of
    from obsidian_wren.core.noticing.stretch import summed_up

    with app.sessions() as session:
        ctx = in_hand(app, session)
        quiet, spoken = _takes(ctx)
        shift = basis_of(ctx).shift
        if quiet is None or spoken is None or shift is None:
            return None
        rate = spoken.rate_hz
        between = gain_shift_db(quiet, spoken.facts, ctx.rig) or 0.0
        room = at_rate(measuring.samples_of(app, quiet), quiet.rate_hz, rate)
        then = summed_up(
            pieces_of(measuring.samples_of(app, spoken), rate_hz=rate),
            pieces_of(room * amplitude_from_db(between), rate_hz=rate, with_grid=True),
        )
    return None if then is None else _moved(then, shift)


def _takes(ctx: RigContext) -> tuple[Take | None, Take | None]:
    return ctx.takes.quiet, ctx.takes.passage or ctx.takes.talk


def _moved(then: Sounding, shift: Shift) -> Sounding:
    """As it would be with what was said to have changed."""
    late = then.late_db
    if late is not None:
        late += _LATE_OF_VOICE * (shift.room_db - shift.voice_db)
    return replace(
        then,
        active_level_dbfs=then.active_level_dbfs + shift.voice_db,
        voice_db=then.voice_db + shift.voice_db,
        noise_db=then.noise_db + shift.room_db,
        floor_dbfs=then.floor_dbfs + shift.room_db,
        floor_dbfs_a=then.floor_dbfs_a + shift.room_db,
        hum_dbfs=None if then.hum_dbfs is None else then.hum_dbfs + shift.room_db,
        late_db=late,
    )
