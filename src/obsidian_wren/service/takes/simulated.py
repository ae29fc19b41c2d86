"""Takes from the simulated rig, at real pace or fast."""

from __future__ import annotations

import threading
import time
from dataclasses import replace

from sqlalchemy import func, select

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service import takes
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.ports import Controls, SoundStream, SourceGone
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import controls_of
from obsidian_wren.service.rig.rigs import in_hand, simulated_source
from obsidian_wren.service.takes.beginning import (
    DEFAULT_SECONDS,
    begin,
    require_length,
)
from obsidian_wren.service.takes.ending import abandon, finish, tell
from obsidian_wren.service.takes.keeping import _LOG
from obsidian_wren.service.takes.running import RunningTake
from obsidian_wren.service.words import Control, Purpose
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.models import Take

_BLOCK_S = 0.05
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
        raise Refused("take-runs", "A take is already running. Stop it first.")
    with ws.sessions() as session:
        ctx = in_hand(ws, session)
        rig = ctx.rig
        if rig.source != "simulated":
            raise Refused(
                "source",
                "Sound does not come from the simulated rig. Choose it in Rig, or use your own"
                " sound.",
            )
        source = simulated_source(ctx)
        repeat = (
            session.scalar(select(func.count()).select_from(Take).where(Take.purpose == purpose))
            or 0
        )
        controls = _controls_for(ctx, purpose, position, learns)
    stream = source.open_take(purpose, seconds=wanted, repeat=repeat, controls=controls)
    first = stream.read(round(_BLOCK_S * source.rate_hz))
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
    worker = threading.Thread(
        target=_follow, args=(ws, running, stream, pace or ws.pace, first), daemon=True
    )
    running.started = time.monotonic()
    worker.start()
    if (pace or ws.pace) == "fast":
        worker.join()


def _follow(
    ws: Workshop, running: RunningTake, source: SoundStream, pace: Pace, block: Samples
) -> None:
    count = round(_BLOCK_S * source.rate_hz)
    try:
        while len(block) and not running.stop.is_set():
            running.add(block, metered=pace == "real")
            if pace == "real":
                due = running.started + running.part.frames / source.rate_hz
                time.sleep(max(0.0, due - time.monotonic()))
                tell(ws, running)
            block = source.read(count)
        finish(ws, running)
    except (FolderError, SourceGone, OSError) as error:
        abandon(ws, running)
        ws.bus.tell("trouble", {"sentence": str(error)})
        ws.changed()
    except Exception:
        _LOG.exception("A take failed")
        abandon(ws, running)
        sentence = (
            "The take could not be finished; what was recorded is kept as a half take. Try to use"
            " it, or take it again."
        )
        ws.bus.tell("trouble", {"sentence": sentence})
        ws.changed()
    finally:
        source.close()
