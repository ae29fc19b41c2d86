"""What a take or a run in progress holds fast: it belongs to the rig that it was begun on, at
the controls as they stood then."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service import live, takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused


def refuse_during_take(app: AppContext) -> None:
    """Raise Refused while a take runs: what is asked for would change what it is taken at."""
    if takes.current(app).running is not None:
        raise Refused(
            "take-runs", _("A take is running. Stop it first, or wait until it is saved.")
        )


def refuse_another_rig(app: AppContext) -> None:
    """Raise Refused while a take runs or something is live: both go on with the rig in hand."""
    refuse_during_take(app)
    if live.current(app).running is not None:
        raise Refused("live", _("You are live. Stop live first, then switch to another rig."))
