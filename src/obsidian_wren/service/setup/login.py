"""Whether the program is started at login."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused


def start_at_login(app: AppContext, on: bool) -> None:
    """Have the program started at login over this data folder, or no longer. Raises Refused."""
    login = app.world.login
    if login is None:
        raise Refused(
            "simulated",
            _("The demo is not started at login. Start “obsidian-wren serve” for your own data."),
        )
    if on and login.why_not is not None:
        raise Refused("no-services", login.why_not)
    login.put(on)
    app.changed()
