"""The floor under a talk against that of the quiet take."""

from __future__ import annotations

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.measure.pair_findings import FloorMatch, match_floor
from obsidian_wren.core.rate import at_rate
from obsidian_wren.service.readings.measuring import (
    room_shift_db,
    samples_of,
    talk_reading,
    undisturbed,
)
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Take


def floor_match(ctx: RigContext, voice: Take, rest: Take) -> FloorMatch | None:
    """How the floor in the pauses of a voice take compares with a quiet take that was moved to its
    gain; None where no pause tells."""
    shift_db = room_shift_db(rest, voice, ctx.rig)

    def measure() -> FloorMatch | None:
        room = undisturbed(ctx.app, rest) * amplitude_from_db(shift_db)
        return match_floor(
            at_rate(room, rest.rate_hz, voice.rate_hz),
            samples_of(ctx.app, voice),
            rate_hz=voice.rate_hz,
            active_level_dbfs=talk_reading(ctx.app, voice, None, ctx.rig).active_level_dbfs,
        )

    found: FloorMatch | None = ctx.app.readings.get(
        ("floor", voice.sha256, rest.sha256, shift_db), measure
    )
    return found
