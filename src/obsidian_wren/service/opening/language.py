"""Another language is chosen: it is spoken from the next start on."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service import live, takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.language import choose, tags


def choose_language(app: AppContext, tag: str) -> None:
    """Choose a language for a data folder, by its tag. Raises Refused where there is no such
    language, and while a take or the page's own microphone would be cut off."""
    if tag not in tags():
        raise Refused("no-language", _("There is no such language here. Choose one from the list."))
    if takes.current(app).running is not None:
        raise Refused(
            "take-runs", _("A take is running. Stop it first, or wait until it is saved.")
        )
    with app.sessions() as session:
        over_the_page = in_hand(app, session).rig.source == "browser"
    if over_the_page and live.current(app).run is not None:
        raise Refused(
            "live",
            _(
                "You are live over this page, which loads again in another language. Stop live"
                " first."
            ),
        )
    choose(app.folder.path, tag)
