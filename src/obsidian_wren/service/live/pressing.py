"""Clips played into what is live."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes.clips import clip_by, sound_of


def press(app: AppContext, clip_id: int, *, down: bool = True) -> None:
    """Play a clip into the run, or stop it."""
    run = live.current(app).running
    if run is None:
        raise Refused("not-live", _("You are not live, so nobody would hear it. Start live first."))
    if not down:
        run.release_clip(clip_id)
        return
    with app.sessions() as session:
        clip = clip_by(session, clip_id)
        run.press_clip(clip_id, sound_of(app, clip, run.rate_hz))
