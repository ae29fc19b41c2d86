"""Which listeners are proved."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service.mixes.scene import kind_of
from obsidian_wren.store.models import DestinationRow, Proof


def proved_listeners(session: Session) -> tuple[int, int]:
    """How many listeners in use that pick an input get what is meant, by the newest proof of
    each, and how many there are."""
    rows = [row for row in session.scalars(select(DestinationRow)) if row.on and kind_of(row).picks]
    newest = {
        proof.destination: proof for proof in session.scalars(select(Proof).order_by(Proof.id))
    }
    good = [
        row
        for row in rows
        if row.key in newest and newest[row.key].good and newest[row.key].picks == row.picks
    ]
    return len(good), len(rows)
