"""The sequence of a rig's chain. Nothing here computes."""

from __future__ import annotations

from obsidian_wren.core.chain.sequence import completed
from obsidian_wren.store.models import Rig


def order_of(rig: Rig) -> tuple[str, ...]:
    """The stages in the person's sequence, with those that this version knows beside them."""
    return completed(rig.stage_order)
