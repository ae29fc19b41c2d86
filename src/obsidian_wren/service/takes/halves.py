"""Takes that were cut off."""

from __future__ import annotations

from obsidian_wren.core.measure import faults
from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.service.words import PURPOSES
from obsidian_wren.store import parts


def keep_half(app: AppContext, part_id: str) -> int:
    """Make a take of one that was cut off."""
    half = _half(app, part_id)
    samples = parts.read_part(app.folder, part_id, channels=half.info.channels)
    if half.info.purpose not in PURPOSES:
        raise Refused(
            "purpose",
            _(
                "A newer Obsidian Wren began this take, and this one does not know its purpose."
                " Discard it, or update."
            ),
        )
    take_id = keep(app, half.info, samples, half=True, part_id=part_id)
    app.changed()
    return take_id


def discard_half(app: AppContext, part_id: str) -> None:
    """Throw a cut-off take away."""
    _half(app, part_id)
    parts.drop_part(app.folder, part_id)
    app.changed()


def _half(app: AppContext, part_id: str) -> parts.HalfTake:
    running = takes.current(app).running
    for half in parts.list_halves(app.folder, running=running.part.id if running else None):
        if half.id == part_id:
            return half
    raise Refused("no-half", _("This half take no longer exists."))


def take_up_parts(app: AppContext) -> None:
    """At a start: parts too short to be of use go with a word, and what is no part is put aside
    and told."""
    strays = parts.strays(app.folder)
    for half in parts.list_halves(app.folder, running=None):
        if half.info.purpose not in PURPOSES or not parts.holds_sound(app.folder, half):
            # A newer version knows what it is for, or something else lies in its place.
            strays += [app.folder.parts / f"{half.id}{ending}" for ending in (".json", ".f32")]
    if strays:
        place = app.folder.put_aside(*strays)
        names = ", ".join(path.name for path in strays[:3]) + (
            _(" and {strays} more", strays=len(strays) - 3) if len(strays) > 3 else ""
        )
        app.find(
            "stray-part",
            _("The folder of takes in progress held something unreadable: {names}.", names=names),
            _(
                "It was moved to “{relative_to}” of the data folder. Delete it if you miss"
                " nothing.",
                relative_to=place.relative_to(app.folder.path),
            ),
        )
    dropped = 0
    for half in parts.list_halves(app.folder, running=None):
        if half.frames < faults.SHORTEST_S * half.info.rate_hz:
            parts.drop_part(app.folder, half.id)
            dropped += 1
    if dropped:
        app.message = ngettext(
            "A take interrupted within the first {seconds:.0f} s held too little and was"
            " discarded.",
            "{count} takes interrupted within the first {seconds:.0f} s held too little and"
            " were discarded.",
            dropped,
            seconds=faults.SHORTEST_S,
        )
