"""What a person wants of the treated voice, as the page sends it and a rig keeps it."""

from __future__ import annotations

from obsidian_wren.formats.outside import RowId
from obsidian_wren.formats.preferences import (
    AimsBody,
    BandValue,
    Preference,
    PreferenceFields,
    TargetKind,
    TasteBody,
)

__all__ = ["AimsBody", "BandValue", "PreferencesBody", "TargetBody", "TasteBody"]


class TargetBody(Preference):
    """Which target the tone is fitted to; ``id`` is that of an imported one."""

    kind: TargetKind = "by pitch"
    id: RowId | None = None


class PreferencesBody(PreferenceFields):
    """What a person wants of the treated voice; what is left out is as usual."""

    target: TargetBody | None = None
