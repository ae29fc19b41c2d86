"""What a person does to a calibration: pin, nudge, wish, let go, fit again."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.catching_up import follow_change
from obsidian_wren.service.calibration.deriving import derive_again
from obsidian_wren.service.calibration.preferences import BandValue, PreferencesBody
from obsidian_wren.service.calibration.setting_rows import setting_row, setting_title
from obsidian_wren.service.calibration.stages import known_kind
from obsidian_wren.service.changes.record import TONE_PREFERENCES, change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.store.models import TargetRow


def fit_again(app: AppContext) -> None:
    """Derive everything anew from the newest takes. Pins stay."""
    derive_again(app, refit=True)


def change_setting(
    app: AppContext,
    stage: str,
    name: str,
    *,
    value: float | None,
    band: BandValue | None,
    pinned: bool,
) -> None:
    """Pin a setting to a person's value, or let the derived value stand again."""
    kind = known_kind(stage)
    with app.sessions() as session:
        row = setting_row(in_hand(app, session), stage, name)
        title = setting_title(row) if row is not None else name
    with change(app, f"{'Pinned' if pinned else 'Back to automatic:'} {title}") as session:
        ctx = in_hand(app, session)
        row = setting_row(ctx, stage, name)
        if row is None:
            raise Refused(
                "no-setting",
                _("There is no such setting yet. First record what it is derived from."),
            )
        row.pinned = pinned
        if not pinned:
            row.value = row.derived
        elif kind.banded:
            if band is not None:
                row.value = band.model_dump()
        elif value is not None:
            known = kind.parameter(name)
            if not known.low <= value <= known.high:
                raise Refused(
                    "range",
                    _(
                        "This setting goes from {low:g} to {high:g} {unit}. Choose a value in"
                        " between.",
                        low=known.low,
                        high=known.high,
                        unit=row.unit,
                    ),
                )
            row.value = value
        session.flush()
        follow_change(ctx)
    app.changed()


def change_preferences(app: AppContext, preferences: PreferencesBody) -> None:
    """Keep what a person wants of the treated voice.

    What is left out is as usual. Another target or taste is fitted at once.
    """
    body: dict[str, Any] = preferences.model_dump(exclude_none=True, exclude_defaults=True)
    with app.sessions() as session:
        before = dict(the_rig(app, session).preferences)
    names = {
        "cut_weight": _("how clipped words weigh"),
        "taste": "taste",
        "shape_percent": _("how far the voice is shaped"),
        "target": "target",
        "aims": "aims",
    }
    changed = [title for name, title in names.items() if before.get(name) != body.get(name)]
    with change(
        app, _("Changed {value}", value=_(" and ").join(changed) or "preferences")
    ) as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        target = body.get("target", {})
        if (
            target.get("kind") == "imported"
            and session.get(TargetRow, target.get("id") or 0) is None
        ):
            raise Refused("no-target", _("This target is no longer stored. Import it again."))
        if (
            target.get("kind") == "reference take"
            and current_takes(session, rig).of("reference") is None
        ):
            raise Refused(
                "no-reference", _("There is no reference take yet. Record or import one first.")
            )
        aims = preferences.aims
        if aims is not None and aims.peaks_dbfs[0] >= aims.peaks_dbfs[1]:
            raise Refused(
                "aim",
                _(
                    "The lower end of the target for peaks has to be under its upper end. Fix"
                    " it and try again."
                ),
            )
        rig.preferences = body
        session.flush()
        follow_change(
            ctx,
            refit=any(before.get(name) != body.get(name) for name in TONE_PREFERENCES),
        )
    app.changed()


def keep_target(app: AppContext, name: str, rows: list[list[float]]) -> None:
    """Keep a target from a two-column text, and fit to it."""
    with change(app, _("Target {name}", name=name)) as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        row = TargetRow(name=name[:120], rows=[list(entry[:2]) for entry in rows])
        session.add(row)
        session.flush()
        rig.preferences = {**rig.preferences, "target": {"kind": "imported", "id": row.id}}
        session.flush()
        follow_change(ctx, refit=True)
    app.changed()
