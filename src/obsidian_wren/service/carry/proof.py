"""What was proved of a calibration, for its file: series, checks, what a check compares with."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.prove.series import tally
from obsidian_wren.core.prove.series_words import verdict
from obsidian_wren.formats.calibration import MOST_PROVED
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.formats.sounding import NAME, sounding_json
from obsidian_wren.service.prove.checks import calibration_sounding
from obsidian_wren.service.prove.kept import kept_checks, kept_series
from obsidian_wren.service.prove.titles import kept_names
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import DestinationRow, Proof, Series


def check_part(ctx: RigContext) -> dict[str, Any]:
    """What a later check compares with, under its name; empty before there are takes."""
    sounding = calibration_sounding(ctx)
    return {} if sounding is None else {NAME: sounding_json(sounding)}


def proof_part(ctx: RigContext) -> dict[str, Any]:
    """Series, checks and proofs of feeds as JSON values."""
    checks = kept_checks(ctx)
    return {
        "series": [_series(row) for row in kept_series(ctx)[:MOST_PROVED][::-1]],
        "checks": [
            {
                "at": take.taken_at,
                "drifted": check.drifted,
                "causes": to_jsonable(check.causes),
            }
            for take, check in checks
        ],
        "last_check_bands": to_jsonable(checks[-1][1].bands) if checks else [],
        "listeners_proved": _proved(ctx.session),
    }


def _proved(session: Session) -> list[str]:
    """The names of the listeners whose newest proof was good."""
    proofs = session.scalars(select(Proof).order_by(Proof.id))
    newest = {row.destination: row.good for row in proofs}
    rows = session.scalars(select(DestinationRow).order_by(DestinationRow.place))
    return [row.name for row in rows if newest.get(row.key)]


def _series(row: Series) -> dict[str, Any]:
    kind = cast(Any, row.kind)
    found = tally(row.order, cast(Any, row.answers), kind=kind)
    names = kept_names(row.second, row.names)
    return {
        "at": row.at,
        "title": names.title,
        "kind": row.kind,
        "rounds": found.rounds,
        "first": found.first,
        "no_difference": found.same,
        "chance_range": [found.chance_low, found.chance_high],
        "chance": found.p,
        "sentence": verdict(found, kind=kind, first=names.first, second=names.second),
    }
