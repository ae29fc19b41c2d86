"""Clips played into what is live."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes.clips import clip_by, sound_of
from obsidian_wren.service.workshop import Workshop


def press(ws: Workshop, clip_id: int, *, down: bool = True) -> None:
    """Play a clip into the run, or stop it."""
    run = live.current(ws).running
    if run is None:
        raise Refused("not-live", _("Nothing is live, so nobody would hear it. Start live first."))
    if not down:
        run.release_clip(clip_id)
        return
    with ws.sessions() as session:
        clip = clip_by(session, clip_id)
        run.press_clip(clip_id, sound_of(ws, clip, run.rate_hz))
