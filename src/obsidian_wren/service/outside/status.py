"""How it stands, for somebody who does not look at the page."""

from __future__ import annotations

import json
import queue
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from typing import Any

from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.service import live
from obsidian_wren.service.carry.decisions import in_force
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.bus import END
from obsidian_wren.service.live import muting
from obsidian_wren.service.noticing import state as noticed
from obsidian_wren.service.rig.rigs import in_hand

# A meter tells its level twenty times a second.
_LEVEL_WITHIN_S = 0.15
# A level alone is no news more often than that.
_LEVEL_EVERY_S = 1.0
_LOOK_EVERY_S = 1.0


@dataclass(frozen=True)
class Status:
    """How it stands: ``muted`` where nobody hears the voice; ``situation`` that everything is
    decided as in, by its name; ``level_dbfs`` of the treated voice,
    None in silence; ``gaps`` since it is live; ``trouble``: why listeners get silence, or what of
    the folder waits for the person; ``watch``: what was noticed of the rig."""

    live: bool
    muted: bool
    talking: bool
    situation: str | None
    level_dbfs: int | None
    gaps: int | None
    trouble: str | None
    watch: str | None = None

    @property
    def line(self) -> str:
        """As one line of JSON."""
        return json.dumps(asdict(self), ensure_ascii=False)

    @property
    def sentence(self) -> str:
        """For a person."""
        said = [_heard(self)]
        if self.situation is not None:
            said.append(_("Situation: {name}.", name=self.situation))
        if self.level_dbfs is not None:
            said.append(_("Level {level:d} dBFS.", level=self.level_dbfs))
        if self.gaps is not None:
            said.append(
                ngettext("{count} gap so far.", "{count} gaps so far.", self.gaps)
                if self.gaps
                else _("No gaps.")
            )
        if self.trouble is not None:
            said.append(self.trouble)
        if self.watch is not None:
            said.append(self.watch)
        return " ".join(said)


def _heard(status: Status) -> str:
    if not status.live:
        return _("Not live.")
    if status.muted:
        return _("Live and muted: nobody hears you.")
    return _("Live: your voice goes out.")


def status(app: AppContext) -> Status:
    """How it stands now, with the level where somebody is live."""
    listener = app.bus.listen()
    try:
        return _stands(app, _level_of(listener) if live.current(app).running else None)
    finally:
        app.bus.leave(listener)


def follow(app: AppContext) -> Iterator[Status | None]:
    """How it stands now, and again with every change until the program ends; None where nothing
    changed for a second."""
    listener = app.bus.listen()
    try:
        told = _stands(app, None)
        yield told
        loudest: float | None = None
        told_s = time.monotonic()
        while True:
            kind, body = _next(listener)
            if kind == END:
                return
            if kind == "frame":
                loudest = _louder(loudest, body)
            due = time.monotonic() - told_s >= _LEVEL_EVERY_S
            if kind == "frame" and not due:
                continue
            now = _stands(app, told.level_dbfs if loudest is None and not due else loudest)
            if due:
                loudest, told_s = None, time.monotonic()
            if now != told:
                told = now
                yield told
            elif not kind:
                yield None
    finally:
        app.bus.leave(listener)


_News = tuple[str, dict[str, Any]]


def _next(listener: queue.Queue[_News]) -> _News:
    """What happens next; nothing where that takes longer than a moment."""
    try:
        return listener.get(timeout=_LOOK_EVERY_S)
    except queue.Empty:
        return "", {}


def _level_of(listener: queue.Queue[_News]) -> float | None:
    ends_s = time.monotonic() + _LEVEL_WITHIN_S
    while (left_s := ends_s - time.monotonic()) > 0.0:
        try:
            kind, body = listener.get(timeout=left_s)
        except queue.Empty:
            return None
        if kind == "frame" and body["of"] == "run":
            return _louder(None, body)
    return None


def _louder(before: float | None, frame: dict[str, Any]) -> float | None:
    level: float | None = frame["level_dbfs"] if frame["of"] == "run" else None
    return before if level is None else level if before is None else max(before, level)


def _stands(app: AppContext, level_dbfs: float | None) -> Status:
    state = live.current(app)
    run = state.running
    with app.sessions() as session:
        feeds = muting.feeds_in_use(session)
        muted = bool(feeds) and feeds <= muting.silent_feeds(app, session)
        situation = in_force(in_hand(app, session))
        name = None if situation is None else situation.name
    noticing = noticed.current(app)
    why = None if state.run is None else state.run.stopped_why
    finding = app.findings[0].sentence if app.findings else None
    return Status(
        live=run is not None,
        muted=muted,
        talking=muting.is_talking(app),
        situation=name,
        level_dbfs=None if level_dbfs is None or run is None else round(level_dbfs),
        gaps=None if run is None else run.dropouts,
        trouble=why or finding,
        watch=noticing.sentence,
    )
