"""A take that the program itself records from a stream, in a thread of its own, until it has
enough."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.ports.world import SoundStream, SourceGone
from obsidian_wren.service.context import AppContext, Pace
from obsidian_wren.service.takes.ending import abandon, finish, tell
from obsidian_wren.service.takes.keeping import _LOG
from obsidian_wren.service.takes.running import RunningTake

BLOCK_S = 0.05


def record(
    app: AppContext,
    running: RunningTake,
    source: SoundStream,
    *,
    pace: Pace | None,
    after: Callable[[], None] = lambda: None,
) -> threading.Thread:
    """Begin to record. ``pace`` None for a stream that comes at the pace of sound by itself;
    ``after`` is done when the stream was let go."""
    worker = threading.Thread(target=_follow, args=(app, running, source, pace, after), daemon=True)
    running.started = time.monotonic()
    worker.start()
    return worker


def _follow(
    app: AppContext,
    running: RunningTake,
    source: SoundStream,
    pace: Pace | None,
    after: Callable[[], None],
) -> None:
    count = round(BLOCK_S * source.rate_hz)
    try:
        try:
            block = source.read(count)
            while len(block) and not running.stop.is_set():
                running.add(block, metered=pace != "fast")
                if pace == "real":
                    due = running.started + running.part.frames / source.rate_hz
                    time.sleep(max(0.0, due - time.monotonic()))
                if pace != "fast":
                    tell(app, running)
                if running.whole:
                    break
                block = source.read(count)
        finally:
            source.close()
            after()
        finish(app, running)
    except (FolderError, SourceGone, OSError) as error:
        abandon(app, running)
        app.bus.tell("trouble", {"sentence": str(error)})
        app.changed()
    except Exception:
        _LOG.exception("A take failed")
        abandon(app, running)
        sentence = _(
            "The take could not be finished; what was recorded is saved as a half take. Try to"
            " use it, or record it again."
        )
        app.bus.tell("trouble", {"sentence": sentence})
        app.changed()
