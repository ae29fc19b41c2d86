"""The steps of the job: how far each is, and what one press derives anew."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.wording import _
from obsidian_wren.service import words
from obsidian_wren.service.calibration import setting_rows
from obsidian_wren.service.page import views
from obsidian_wren.service.prove.kept import kept_checks
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.readings.doubts import what_it_asks
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import (
    ChangeRow,
    Confirmed,
    Derivation,
    DestinationRow,
    Proof,
)


def change_view(row: ChangeRow | None) -> views.ChangeView | None:
    """A change that undo or redo would make."""
    return None if row is None else views.ChangeView(title=row.title, at=row.at)


def steps(
    ctx: RigContext,
    present: Mapping[str, Value],
    stale: Mapping[str, str | None],
) -> list[views.StepView]:
    """How far each step is, and why one is outdated."""
    confirmed = {
        row.step
        for row in ctx.session.scalars(select(Confirmed).where(Confirmed.rig_id == ctx.rig.id))
    }
    tone = ctx.session.get(Derivation, (ctx.rig.id, "tone"))
    proof = ctx.session.scalars(select(Proof).order_by(Proof.id.desc())).first()
    why: dict[str, str | None] = {
        "quiet": staleness.stale_take(ctx.takes.quiet, present) if ctx.takes.quiet else None,
        "gain": staleness.stale_take(ctx.takes.talk, present) if ctx.takes.talk else None,
        "clean": stale["cleaning"],
        "tone": stale["equalizer"],
        "steady": stale["delivery"],
        "send": _proof_stale(ctx.session, proof),
        "prove": _drifted(ctx),
    }
    whole = setting_rows.chain_is_whole(ctx)
    clean = ctx.session.get(Derivation, (ctx.rig.id, "clean"))
    there = {
        "rig": True,
        "quiet": ctx.takes.quiet,
        "gain": ctx.takes.talk,
        "clean": clean,
        "tone": tone,
        "steady": whole,
        "send": whole,
        "prove": whole,
    }
    steps = []
    for name, title in words.STEP_TITLES.items():
        status: words.Status = "confirmed" if name in confirmed else "open"
        if not there[name]:
            status = "not yet"
        elif why.get(name):
            status = "stale"
        asks = what_it_asks(ctx, name)
        steps.append(
            views.StepView(name=name, title=title, status=status, why=why.get(name), asks=asks)
        )
    return steps


_ANSWERS = {
    "split": _("the parts of the noise floor"),
    "causes": _("the causes"),
    "gain-plan": _("the gain plan"),
    "cleaning": _("the cleaning"),
    "equalizer": _("the tone"),
    "delivery": _("the voice chain"),
    "diagram": _("the level diagram"),
}


def derivable(nodes: Sequence[str]) -> str | None:
    """Which answers one press would derive anew, None when all stand."""
    names = [_ANSWERS[node] for node in nodes]
    if not names:
        return None
    return (
        names[0]
        if len(names) == 1
        else _("{names} and {names_2}", names=", ".join(names[:-1]), names_2=names[-1])
    )


def _drifted(ctx: RigContext) -> str | None:
    """What the last check found, where something moved and the takes are older than it."""
    found = kept_checks(ctx)
    newest = max((take.id for take in ctx.takes.by_purpose.values() if take is not None), default=0)
    if not found or newest > found[-1][0].id or not found[-1][1].causes:
        return None
    return found[-1][1].causes[0].sentence


def _proof_stale(session: Session, proof: Proof | None) -> str | None:
    if proof is None:
        return None
    for destination in session.scalars(
        select(DestinationRow).where(DestinationRow.on.is_(True)).order_by(DestinationRow.place)
    ):
        newest = session.scalars(
            select(Proof).where(Proof.destination == destination.key).order_by(Proof.id.desc())
        ).first()
        if newest is not None and newest.picks != destination.picks:
            return _("{name} chose another input after the marker was sent.", name=destination.name)
    return None
