"""A take of whatever the rig hears without a page: the simulated rig, or a microphone of the
system."""

from __future__ import annotations

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.takes.beginning import refuse_phone
from obsidian_wren.service.takes.from_system import start_system
from obsidian_wren.service.takes.simulated import start_simulated
from obsidian_wren.service.words import Control, Purpose


def start(
    app: AppContext,
    purpose: Purpose,
    *,
    seconds: float | None = None,
    position: float | None = None,
    learns: Control = "preamp",
    until_steady: bool = False,
) -> None:
    """Begin a take; it ends by itself. Raises Refused where sound comes from elsewhere."""
    refuse_phone(purpose)
    with app.sessions() as session:
        source = the_rig(app, session).source
    begin = start_system if source == "system" else start_simulated
    begin(
        app,
        purpose,
        seconds=seconds,
        position=position,
        learns=learns,
        until_steady=until_steady,
    )
