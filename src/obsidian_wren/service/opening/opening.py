"""Opening a data folder.

Nothing that lies in the folder may stop a start. What cannot be read or derived is put aside or
passed over, and told: at the take, clip or recording that it is, or as a finding of the whole
folder. What computes is loaded only where there is something for it to do: a page comes before it.
"""

from __future__ import annotations

import logging
from collections.abc import Callable

from sqlalchemy import func, select

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.ports.disk import disk_errors
from obsidian_wren.ports.world import World
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext, Pace
from obsidian_wren.service.live.following import follow
from obsidian_wren.service.live.living import leave_run
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.live.voice_news import leave_voice
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.opening import rebuilding
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.recording import library
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.send.feeds import leave_feeds
from obsidian_wren.service.takes import discarding, keeping
from obsidian_wren.service.takes.halves import take_up_parts
from obsidian_wren.store import parts, salvage
from obsidian_wren.store.backup import Copier
from obsidian_wren.store.database import open_database
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.store.models import Recording, Take

_LOG = logging.getLogger(__name__)


def open_app(folder: DataFolder, world: World, *, pace: Pace = "real") -> AppContext:
    """Open what is kept in a data folder.

    A damaged database is put aside and its newest sound copy put back.

    Raises FolderError when the disk fails, or when a newer program worked here.
    """
    with disk_errors(_("opening the data folder")):
        restored = salvage.restore_where_needed(folder)
        app = AppContext(folder, open_database(folder.database), world, pace)
        app.sessions.require_there = folder.require_there
        follow(app)
        parts.sweep(folder)
        _set_the_scene(app)
        if restored is not None:
            _take_back(app, restored)
        app.copier = Copier(folder)
        app.sessions.on_kept = app.copier.poke
        for part in (_take_up_parts, _read_again, _take_up_recordings):
            _as_far_as_it_goes(app, part)
    return app


def _as_far_as_it_goes(app: AppContext, part: Callable[[AppContext], None]) -> None:
    """One part of opening: what it cannot do is told, and the rest opens."""
    try:
        part(app)
    except Told as error:
        app.find(
            error.code,
            str(error),
            _("Everything else is here. Fix that, then start the program again."),
        )
    except Exception:
        _LOG.exception("A part of opening failed")
        app.find(
            "opening",
            _("Something in the data folder could not be read."),
            _(
                "Everything shown is intact. “obsidian-wren doctor” checks the folder and says"
                " what is wrong."
            ),
        )


def _take_back(app: AppContext, restored: salvage.Restored) -> None:
    taken = 0
    try:
        taken = rebuilding.take_back(app)
    except Exception:
        # “doctor” tries again and says what is left.
        _LOG.exception("What lies beside the database could not be taken up")
    since = (
        _("everything in it is back")
        if restored.at is not None
        else _("sounds beside it were added")
    )
    more = ngettext(
        "{count} sound that it did not list was added from its file. ",
        "{count} sounds that it did not list were added from their files. ",
        taken,
    )
    app.find(
        "database-restored",
        _("The database was {why}. ", why=restored.why)
        + (
            _("The copy of {at} was restored; {since}.", at=restored.at, since=since)
            if restored.at
            else _("There was no copy; {since}.", since=since)
        ),
        (more if taken else "")
        + _(
            "Look through your settings. The old file is in “{aside}” of the data folder.",
            aside=restored.aside,
        ),
    )


def _take_up_parts(app: AppContext) -> None:
    if any(app.folder.parts.iterdir()):
        take_up_parts(app)


def _set_the_scene(app: AppContext) -> None:
    """Listeners and sources are laid out once, before pages ask for them side by side."""
    with app.sessions.begin() as session:
        the_rig(app, session)
        scene.lay_out(app, session)


def _take_up_recordings(app: AppContext) -> None:
    """Recordings that a kill cut off are measured and listed; deleted ones go for good."""
    with app.sessions() as session:
        wanted = session.scalar(
            select(func.count())
            .select_from(Recording)
            .where((Recording.frames == 0) | Recording.discarded.is_(True))
        )
    if wanted:
        # A voice that went on may be recording still.
        stands = None if app.world.system is None else link_of(app).find()
        held = None if stands is None else stands.recording
        but = None if held is None else (held.asked.key, held.part)
        app.message = library.take_up(app, but=but) or app.message


def _read_again(app: AppContext) -> None:
    """What a new version of the program reads differently is read again; what was discarded
    beyond undo goes."""
    with app.sessions() as session:
        unread = measuring.takes_without_reading(session)
        discarded = session.scalar(
            select(func.count()).select_from(Take).where(Take.discarded.is_(True))
        )
    if unread or discarded:
        if discarded:
            discarding.purge_discarded(app)
        if unread:
            keeping.measure_missing(app)


def close_app(
    app: AppContext, *, last: Callable[[], None] = lambda: None, voice_goes_on: bool = False
) -> None:
    """Stop what runs and give the folder back. ``last`` is done in between, when nothing runs any
    more and what is kept can still be read. ``voice_goes_on``: who listens to a voice of a process
    of its own goes on hearing it."""
    now = live.current(app)
    if now.watch is not None:
        now.watch.stop()
    if now.run is not None:
        leave_run(app, goes_on=voice_goes_on)
    if app.world.system is not None:
        leave_feeds(app, goes_on=voice_goes_on)
    else:
        leave_voice(app)
    last()
    if app.copier is not None:
        app.copier.stop()
    app.sessions.close()
    app.folder.close()
