"""This computer as it changes by itself: devices come and go, programs begin and end to listen, the
sound server ends and is back."""

from __future__ import annotations

import logging
import threading
import time

from obsidian_wren.core.told import Told
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live.living import follow_output, resume_run
from obsidian_wren.service.live.recording import close_recording
from obsidian_wren.service.live.voice_news import hear_voice
from obsidian_wren.service.rig.computer_rows import remember_devices
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.send.feeds import ensure_feeds

_LOG = logging.getLogger(__name__)
# What gives no event is looked at so often: a pipe that was deleted, a device that is back.
_LOOK_EVERY_S = 0.5
# A busy server may answer an event too late, or not at all, and no other event follows.
_LOOK_ANYWAY_S = 2.0


def start_seeing(app: AppContext) -> None:
    """See it from now on, until the program ends."""
    system = app.world.system
    if system is None:
        return
    woken, ended = threading.Event(), threading.Event()
    system.look()
    hear_voice(app)
    attend(app, looked=True)

    def see() -> None:
        end_watch = system.watch(woken.set)
        looked_s = time.monotonic()
        while not ended.is_set():
            event = woken.wait(_LOOK_EVERY_S)
            woken.clear()
            due = (
                event
                or system.seen.missing is not None
                or time.monotonic() - looked_s > _LOOK_ANYWAY_S
            )
            try:
                if not ended.is_set():
                    attend(app, looked=due and system.look())
            except Told as error:
                app.bus.tell("trouble", {"sentence": str(error)})
            except Exception:
                _LOG.exception("Seeing what changed in the system failed")
            if due:
                looked_s = time.monotonic()
        end_watch()

    worker = threading.Thread(target=see, name="seeing", daemon=True)
    worker.start()

    def end() -> None:
        ended.set()
        woken.set()
        worker.join(timeout=5)

    app.at_end(end)


def attend(app: AppContext, *, looked: bool) -> None:
    """Follow what is different: the inputs of ours, the devices that are known, the run.

    ``looked``: the system is not as it was."""
    changed = ensure_feeds(app) or looked
    if changed:
        with app.sessions.begin() as session:
            chosen = remember_devices(app, session)
            rig = the_rig(app, session)
            if rig.device_key is None:
                rig.device_key = chosen
    run = live.current(app).run
    if run is not None and run.finished.is_set() and run.source_gone:
        close_recording(app)
        resume_run(app)
    if changed:
        follow_output(app)
        app.changed()
