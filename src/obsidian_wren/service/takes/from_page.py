"""Takes of the browser’s microphone, whose pieces the page sends."""

from __future__ import annotations

import threading
import time

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.takes.beginning import begin, refuse_phone
from obsidian_wren.service.takes.ending import release_abandoned, tell
from obsidian_wren.service.takes.running import RunningTake
from obsidian_wren.service.words import Control, Purpose

_LOOK_EVERY_S = 0.5


def start_browser(
    app: AppContext,
    purpose: Purpose,
    *,
    rate_hz: int,
    seconds: float,
    not_obeyed: list[str],
    position: float | None = None,
    learns: Control = "preamp",
    until_steady: bool = False,
) -> str:
    """Begin a take whose pieces the page sends.

    ``not_obeyed`` names processing that the browser left on. Returns its id.
    """
    if not 8_000 <= rate_hz <= 192_000:
        raise Refused(
            "rate",
            _(
                "The browser's rate is outside 8 to 192 kHz. Choose 48 kHz in the sound settings"
                " of the computer."
            ),
        )
    refuse_phone(purpose)
    notes: tuple[str, ...] = ()
    if not_obeyed:
        notes = (
            (
                _(
                    "The browser left {not_obeyed} on although it was asked not to: levels and"
                    " tone are not those of your microphone. Try another browser.",
                    not_obeyed=_(" and ").join(not_obeyed),
                )
            ),
        )
    running = begin(
        app,
        purpose,
        seconds,
        "browser",
        rate_hz,
        notes=notes,
        position=position,
        learns=learns,
        until_steady=until_steady,
    )
    threading.Thread(target=_watch_over, args=(app, running), daemon=True).start()
    app.changed()
    return running.part.id


def _watch_over(app: AppContext, running: RunningTake) -> None:
    """End a take whose page is gone."""
    while not running.over.wait(_LOOK_EVERY_S):
        try:
            release_abandoned(app)
        except Told as error:
            app.bus.tell("trouble", {"sentence": str(error)})


def add_piece(app: AppContext, take_id: str, number: int, samples: Samples) -> bool:
    """Keep the next piece; True when the take has enough.

    Pieces come in order; one that came before is passed over, a gap is refused, and what comes
    after the end is dropped.
    """
    running = takes.current(app).running
    if running is None or running.part.id != take_id:
        if take_id in takes.current(app).ended:
            return True
        raise Refused(
            "no-take",
            _("This take has ended; what came before is saved as a half take."),
        )
    with running.lock:
        if running.state != "recording" or running.ended is not None:
            return True
        if number < running.next_piece:
            return False
        if number > running.next_piece:
            raise Refused(
                "gap", _("Part of the take was lost on the way. Stop and record it again.")
            )
        running.next_piece += 1
        running.last_piece = time.monotonic()
        running.add(samples[: max(0, running.frames_left)])
        running.told = 0.0
        tell(app, running)
        return running.ended is not None or running.frames_left <= 0
