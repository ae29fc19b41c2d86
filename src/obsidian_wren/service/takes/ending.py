"""A running take is followed and ended: once, by whoever comes first."""

from __future__ import annotations

import time

from obsidian_wren.core.wording import _
from obsidian_wren.service import takes
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.service.takes.running import RunningTake
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store import parts
from obsidian_wren.store.models import Take
from obsidian_wren.voice.frames import frame_json

_SILENT_AFTER_S = 4.0
_TELL_EVERY_S = 0.09
# As long as measuring and deriving may take on a slow machine.
_PATIENCE_S = 120.0


def tell(ws: Workshop, running: RunningTake) -> None:
    """Progress a few times a second, and every frame of the meter."""
    for frame in running.take_frames():
        ws.bus.tell("frame", frame_json(frame, "take"))
    if time.monotonic() - running.told > _TELL_EVERY_S:
        running.told = time.monotonic()
        ws.bus.tell("progress", running.view().model_dump())


def abandon(ws: Workshop, running: RunningTake) -> None:
    """Let go of a take; its part stays as a half take when it holds anything."""
    running.claim_end()
    running.part.close()
    if running.part.frames == 0:
        parts.drop_part(ws.folder, running.part.id)
    _let_go(ws, running)


def _let_go(ws: Workshop, running: RunningTake) -> None:
    with ws.lock:
        takes.current(ws).ended.append(running.part.id)
        if takes.current(ws).running is running:
            takes.current(ws).running = None
    running.over.set()


def release_abandoned(ws: Workshop) -> None:
    """A browser's take whose pieces stopped coming is kept when it is whole, and becomes a half
    take when it is not."""
    running = takes.current(ws).running
    if running is None or running.part.info.source != "browser" or running.state != "recording":
        return
    if time.monotonic() - running.last_piece > _SILENT_AFTER_S:
        if running.whole:
            finish(ws, running)
            return
        if running.claim_end():
            abandon(ws, running)
            ws.changed()


def stop_take(ws: Workshop) -> None:
    """End the take now and keep what is there.

    Who comes second waits until it is kept, or finds it kept already.
    """
    running = takes.current(ws).running
    if running is None and takes.current(ws).ended:
        return
    if running is None:
        raise Refused("no-take", _("No take is running."))
    running.stop.set()
    if running.part.info.source == "browser":
        finish(ws, running)


def finish(ws: Workshop, running: RunningTake) -> int | None:
    """Turn the part into a whole take, measure it, derive what follows.

    Returns the take's id, None for who came second.
    """
    if not running.claim_end():
        running.over.wait(_PATIENCE_S)
        return None
    ws.bus.tell("progress", running.view().model_dump())
    running.part.close()
    try:
        info = running.part.info
        samples = parts.read_part(ws.folder, running.part.id, channels=info.channels)
        if not len(samples):
            parts.drop_part(ws.folder, running.part.id)
            return None
        take_id = keep(ws, info, samples, half=False, ended=running.ended, part_id=running.part.id)
        fault = fault_of(ws, take_id)
        if fault is not None:
            ws.bus.tell("trouble", {"sentence": fault})
        return take_id
    finally:
        _let_go(ws, running)
        ws.changed()


def fault_of(ws: Workshop, take_id: int) -> str | None:
    """Why a take that was kept cannot be used, None where it can."""
    with ws.sessions() as session:
        return session.get_one(Take, take_id).fault
