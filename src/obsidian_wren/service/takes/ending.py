"""A running take is followed and ended: once, by whoever comes first."""

from __future__ import annotations

import time

from obsidian_wren.core.wording import _
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.service.takes.running import RunningTake
from obsidian_wren.store import parts
from obsidian_wren.store.models import Take
from obsidian_wren.voice.frames import frame_json

_SILENT_AFTER_S = 4.0
_TELL_EVERY_S = 0.09
# As long as measuring and deriving may take on a slow machine.
_PATIENCE_S = 120.0


def tell(app: AppContext, running: RunningTake) -> None:
    """Progress a few times a second, and every frame of the meter."""
    for frame in running.take_frames():
        app.bus.tell("frame", frame_json(frame, "take"))
    if time.monotonic() - running.told > _TELL_EVERY_S:
        running.told = time.monotonic()
        app.bus.tell("progress", running.view().model_dump())


def abandon(app: AppContext, running: RunningTake) -> None:
    """Let go of a take; its part stays as a half take when it holds anything."""
    running.claim_end()
    running.part.close()
    if running.part.frames == 0:
        parts.drop_part(app.folder, running.part.id)
    _let_go(app, running)


def _let_go(app: AppContext, running: RunningTake) -> None:
    with app.lock:
        takes.current(app).ended.append(running.part.id)
        if takes.current(app).running is running:
            takes.current(app).running = None
    running.over.set()


def release_abandoned(app: AppContext) -> None:
    """A browser's take whose pieces stopped coming is kept when it is whole, and becomes a half
    take when it is not."""
    running = takes.current(app).running
    if running is None or running.part.info.source != "browser" or running.state != "recording":
        return
    if time.monotonic() - running.last_piece > _SILENT_AFTER_S:
        if running.whole:
            finish(app, running)
            return
        if running.claim_end():
            abandon(app, running)
            app.changed()


def stop_take(app: AppContext) -> None:
    """End the take now and keep what is there.

    Who comes second waits until it is kept, or finds it kept already.
    """
    running = takes.current(app).running
    if running is None and takes.current(app).ended:
        return
    if running is None:
        raise Refused("no-take", _("No take is running."))
    running.stop.set()
    if running.part.info.source == "browser":
        finish(app, running)


def finish(app: AppContext, running: RunningTake) -> int | None:
    """Turn the part into a whole take, measure it, derive what follows.

    Returns the take's id, None for who came second.
    """
    if not running.claim_end():
        running.over.wait(_PATIENCE_S)
        return None
    app.bus.tell("progress", running.view().model_dump())
    running.part.close()
    try:
        info = running.part.info
        samples = parts.read_part(app.folder, running.part.id, channels=info.channels)
        if not len(samples):
            parts.drop_part(app.folder, running.part.id)
            return None
        take_id = keep(app, info, samples, half=False, ended=running.ended, part_id=running.part.id)
        fault = fault_of(app, take_id)
        if fault is not None:
            app.bus.tell("trouble", {"sentence": fault})
        return take_id
    finally:
        _let_go(app, running)
        app.changed()


def fault_of(app: AppContext, take_id: int) -> str | None:
    """Why a take that was kept cannot be used, None where it can."""
    with app.sessions() as session:
        return session.get_one(Take, take_id).fault
