"""What has to be asked before a step is confirmed. Nothing here computes."""

from __future__ import annotations

from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation


def what_it_asks(ctx: RigContext, step: str) -> str | None:
    """What is found in the takes of a step that makes all that follows wrong, with what to do; None
    where nothing is."""
    if step != "gain":
        return None
    row = ctx.session.get(Derivation, (ctx.rig.id, "voice-causes"))
    causes = [] if row is None else row.body["causes"]
    return next(
        (
            f"{cause['evidence']} {cause['remedy']}"
            for cause in causes
            if cause["spoils"] and cause["code"] in _ASKED
        ),
        None,
    )


_ASKED = ("music_in_talk", "background_voice")
