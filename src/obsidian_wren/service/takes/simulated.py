"""Takes from the simulated rig, at real pace or fast."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import func, select

from obsidian_wren.core.wording import worded
from obsidian_wren.ports.world import Controls
from obsidian_wren.service import takes
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import controls_of
from obsidian_wren.service.rig.rigs import in_hand, simulated_source
from obsidian_wren.service.takes.beginning import (
    DEFAULT_SECONDS,
    begin,
    require_length,
)
from obsidian_wren.service.takes.from_stream import BLOCK_S, record
from obsidian_wren.service.words import Control, Purpose
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store.models import Take

# The simulated talker has said everything by then.
_ALL_SAID_S = 60.0


def _controls_for(
    ctx: RigContext, purpose: str, position: float | None, learns: Control
) -> Controls:
    """Where the simulated rig's controls stand for a take; they go back after it."""
    controls = controls_of(ctx)
    if position is None:
        return controls
    if purpose == "other-gain":
        return replace(controls, gain_db=position, dial=None)
    if purpose == "dial":
        return (
            replace(controls, slider_percent=position)
            if learns == "slider"
            else replace(controls, dial=position)
        )
    return controls


def start_simulated(
    ws: Workshop,
    purpose: Purpose,
    *,
    seconds: float | None = None,
    pace: Pace | None = None,
    position: float | None = None,
    learns: Control = "preamp",
    until_steady: bool = False,
) -> None:
    """Begin a take from the simulated rig; it ends by itself, at the latest after its seconds,
    earlier when talk is steady."""
    wanted = seconds or DEFAULT_SECONDS[purpose]
    if until_steady:
        wanted = min(seconds or _ALL_SAID_S, _ALL_SAID_S)
    require_length(wanted)
    if takes.current(ws).running is not None:
        raise Refused("take-runs", worded("A take is already running. Stop it first."))
    with ws.sessions() as session:
        ctx = in_hand(ws, session)
        rig = ctx.rig
        if rig.source != "simulated":
            raise Refused(
                "source",
                worded(
                    "Sound does not come from the simulated rig. Choose it in Rig, or use your"
                    " own sound."
                ),
            )
        source = simulated_source(ctx)
        repeat = (
            session.scalar(select(func.count()).select_from(Take).where(Take.purpose == purpose))
            or 0
        )
        controls = _controls_for(ctx, purpose, position, learns)
    stream = source.open_take(purpose, seconds=wanted, repeat=repeat, controls=controls)
    first = stream.read(round(BLOCK_S * source.rate_hz))
    running = begin(
        ws,
        purpose,
        wanted,
        "simulated",
        source.rate_hz,
        position=position,
        learns=learns,
        channels=1 if first.ndim == 1 else first.shape[1],
        until_steady=until_steady,
    )
    worker = record(ws, running, stream, pace=pace or ws.pace, first=first)
    if (pace or ws.pace) == "fast":
        worker.join()
