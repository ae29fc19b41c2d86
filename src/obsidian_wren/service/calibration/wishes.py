"""What a person wants of the treated voice, as the page sends it and a rig keeps it."""

from __future__ import annotations

from obsidian_wren.formats.outside import RowId
from obsidian_wren.formats.wishes import (
    AimsBody,
    BandValue,
    TargetKind,
    TasteBody,
    Wish,
    WishFields,
)

__all__ = ["AimsBody", "BandValue", "TargetBody", "TasteBody", "WishesBody"]


class TargetBody(Wish):
    """Which target the tone is fitted to; ``id`` is that of an imported one."""

    kind: TargetKind = "by pitch"
    id: RowId | None = None


class WishesBody(WishFields):
    """What a person wants of the treated voice; what is left out is as usual."""

    target: TargetBody | None = None
