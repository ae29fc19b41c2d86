"""What is kept in words follows the language.

A rig's answers are kept with their sentences. Where these are in another language than is spoken
now, the answers are derived anew, which gives the same ones in its words. What is outdated is left
as it is: that somebody decides.
"""

from __future__ import annotations

from sqlalchemy import select

from obsidian_wren.core.wording import ENGLISH, spoken
from obsidian_wren.service.calibration import current
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings.staleness import derivable_answers, sources_now
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation

_STEP = "words"


def keep_language(ctx: RigContext) -> None:
    """All of a rig's answers were worded just now."""
    language = {"language": spoken().tag}
    ctx.session.merge(Derivation(rig_id=ctx.rig.id, step=_STEP, body=language, used={}))


def is_in_another_language(ctx: RigContext) -> bool:
    """Whether the answers of a rig are kept in other words than are spoken."""
    answers = ctx.session.scalars(select(Derivation.step).where(Derivation.rig_id == ctx.rig.id))
    if answers.first() is None:
        return False
    row = ctx.session.get(Derivation, (ctx.rig.id, _STEP))
    return (ENGLISH.tag if row is None else row.body.get("language")) != spoken().tag


def word_anew(app: AppContext) -> None:
    """Behind, have the answers of the rig that is used in the language that is spoken."""
    background = current(app).background
    if not background.runs:
        return
    with app.sessions() as session:
        ctx = in_hand(app, session)
        wanted = is_in_another_language(ctx) and not derivable_answers(ctx, sources_now(ctx))
        rig_id = ctx.rig.id
    if wanted:
        background.ask(rig_id, refit=True)
        app.changed()
