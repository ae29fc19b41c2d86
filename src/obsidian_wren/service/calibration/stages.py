"""What a person does to the chain: stages switched, put into another sequence, added, removed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import delete
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import INSTANCES, kind_of
from obsidian_wren.core.chain.sequence import default_sequence, is_further, next_key, title_of
from obsidian_wren.core.chain.stage_kind import StageKind
from obsidian_wren.core.wording import _, within
from obsidian_wren.service.calibration.catching_up import follow_change
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.preferences import BandValue
from obsidian_wren.service.calibration.setting_rows import band_rows, chain_is_whole
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import SettingRow, StageRow

_MOST_BANDS = 16


def known_kind(key: str) -> StageKind:
    """The kind of a stage. Raises Refused for one that this version does not know."""
    try:
        return kind_of(key)
    except KeyError as error:
        raise Refused("no-stage", _("There is no such stage. Load the page again.")) from error


def switch_stage(app: AppContext, key: str, on: bool | None) -> None:
    """Hold a stage on or off, or let what was derived stand again (None)."""
    kind = known_kind(key)
    verb = _("Back to automatic:") if on is None else _("Switched on") if on else _("Switched off")
    with change(app, f"{verb} {within(title_of(key))}") as session:
        ctx = in_hand(app, session)
        row = session.get(StageRow, (ctx.rig.id, key))
        if row is None:
            raise Refused(
                "no-stage",
                _("This stage is not derived yet. First record what it is derived from."),
            )
        if kind.stays_on is not None and on is False:
            raise Refused(kind.kind, kind.stays_on)
        row.pinned = on is not None
        row.runs = row.derived if on is None else on
        session.flush()
        follow_change(ctx)
    app.changed()


def order_stages(app: AppContext, order: Sequence[str]) -> None:
    """Put the stages in another sequence; an empty one is the default."""
    with change(
        app,
        _("Changed the sequence of the stages")
        if order
        else _("The default sequence of the stages"),
    ) as session:
        ctx = in_hand(app, session)
        there = order_of(ctx.rig)
        if order and sorted(order) != sorted(there):
            raise Refused("order", _("The sequence has to name every stage once."))
        further = [key for key in there if is_further(key)]
        usual = [*default_sequence(), *further]
        _keep(ctx, list(order) if order else usual)
        session.flush()
        follow_change(ctx)
    app.changed()


def _keep(ctx: RigContext, sequence: list[str]) -> None:
    # A rig that has the usual sequence follows it when a version knows more.
    ctx.rig.stage_order = [] if sequence == list(default_sequence()) else sequence


def add_stage(app: AppContext, kind: str) -> None:
    """Add a further stage of a kind behind the last of it; its rule derives it there."""
    title = within(known_kind(kind).title)
    with change(app, _("Added a further {title}", title=title)) as session:
        ctx = in_hand(app, session)
        if not chain_is_whole(ctx):
            raise Refused("no-chain", _("There is no chain to add to yet. Read the passage first."))
        sequence = list(order_of(ctx.rig))
        key = next_key(kind, sequence)
        if key is None:
            raise Refused("no-more", _("Another {title} cannot be added.", title=title))
        last = max(
            at
            for at, other in enumerate(sequence)
            if kind_of(other).kind == kind and other not in INSTANCES
        )
        sequence.insert(last + 1, key)
        # What an earlier one of this name left behind is not this one's.
        _forget(session, ctx.rig.id, key)
        _keep(ctx, sequence)
        session.flush()
        follow_change(ctx)
    app.changed()


def _forget(session: Session, rig_id: int, key: str) -> None:
    session.execute(delete(SettingRow).where(SettingRow.rig_id == rig_id, SettingRow.stage == key))
    session.execute(delete(StageRow).where(StageRow.rig_id == rig_id, StageRow.kind == key))


def remove_stage(app: AppContext, key: str) -> None:
    """Remove a stage that was added. What was set in it is kept for undo."""
    known_kind(key)
    with change(app, _("Removed {title_of}", title_of=within(title_of(key)))) as session:
        ctx = in_hand(app, session)
        sequence = list(order_of(ctx.rig))
        if not is_further(key) or key not in sequence:
            raise Refused(
                "no-stage",
                _("Only a stage that was added can be removed. Switch this one off."),
            )
        sequence.remove(key)
        _keep(ctx, sequence)
        session.flush()
        follow_change(ctx)
    app.changed()


def add_band(app: AppContext, key: str, band: BandValue) -> None:
    """Put a band of the person's own into a further equalizer."""
    kind = known_kind(key)
    with change(app, _("Added a band to {title_of}", title_of=within(title_of(key)))) as session:
        ctx = in_hand(app, session)
        if not (kind.banded and is_further(key) and key in order_of(ctx.rig)):
            raise Refused(
                "no-stage",
                _("Bands can be added to a further equalizer. Add one in Steady first."),
            )
        there = {row.name for row in band_rows(ctx, key)}
        names = (f"band-{number}" for number in range(1, _MOST_BANDS + 1))
        name = next((name for name in names if name not in there), None)
        if name is None:
            raise Refused(
                "no-more",
                _(
                    "It already has {most_bands} bands. Remove one, or use those.",
                    most_bands=_MOST_BANDS,
                ),
            )
        value: dict[str, Any] = band.model_dump()
        session.add(
            SettingRow(
                rig_id=ctx.rig.id,
                stage=key,
                name=name,
                value=value,
                unit="dB",
                derived={**value, "gain_db": 0.0},
                pinned=True,
                because=_("You set this."),
            )
        )
        session.flush()
        follow_change(ctx)
    app.changed()
