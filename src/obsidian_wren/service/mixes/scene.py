"""Who there is to hear and to be heard: sources and listeners as kept, and the graph of what
goes where."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Any, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.mix.cases import Case
from obsidian_wren.core.mix.kinds import MixPins, usual_sends
from obsidian_wren.core.mix.listener_kinds import LISTENER_KINDS, ListenerKind
from obsidian_wren.core.mix.routes import Destination as Seat
from obsidian_wren.core.mix.routes import Routing, Send, admit, without_faults
from obsidian_wren.core.mix.routes import Source as Heard
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.mixes import beside
from obsidian_wren.service.rig.computer_rows import raw_name
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store.models import DestinationRow, LiveWish, SourceRow
from obsidian_wren.store.reading import every


def key_of(kind: str) -> str:
    """The key of the listener of a kind."""
    return kind.replace(" ", "-")


def kind_of(row: DestinationRow) -> ListenerKind:
    """What is known of a listener by its kind."""
    return LISTENER_KINDS[row.kind]


def feed_of(row: DestinationRow) -> str | None:
    """The name of the feed that is made for a listener; None for one that is played to."""
    usual = kind_of(row).feed
    return None if usual is None else row.title or usual


def returns_of(row: DestinationRow) -> str | None:
    """Who is heard from a listener; None where nothing comes back. In this computer's own system it
    is a program that the person chose."""
    if row.plays is None or kind_of(row).returns is None:
        return kind_of(row).returns
    return _("From {plays}", plays=row.plays) if row.plays else None


def lay_out(app: AppContext, session: Session) -> None:
    """Set out the listeners and sources that are missing, once at a start. Those that this world
    does not have are out of use."""
    there = {row.key: row for row in session.scalars(select(DestinationRow))}
    real = app.world.system is not None
    for place, (kind, name) in enumerate(app.world.listeners):
        if key_of(kind) in there:
            continue
        known = LISTENER_KINDS[kind]
        there[key_of(kind)] = row = DestinationRow(
            key=key_of(kind),
            name=name,
            kind=kind,
            place=place,
            on=known.first_on,
            picks=raw_name(session, the_rig(app, session)) if known.picks else None,
            settings=dict(known.first_settings),
            sends=None,
            pins={},
            title=None,
            plays=None,
        )
        session.add(row)
    names = dict(app.world.listeners)
    for row in there.values():
        if row.kind not in names:
            row.on = False
        elif real and row.plays is None:
            # Laid out by a world that was simulated.
            row.name, row.settings, row.plays = names[row.kind], {}, ""
            row.picks = feed_of(row)
        elif not real:
            row.plays = None
    there_too = {row.key: row for row in session.scalars(select(SourceRow))}
    for place, (kind, name, on) in enumerate(app.world.sources):
        if kind not in there_too:
            session.add(SourceRow(key=kind, name=name, kind=kind, place=place, on=on, settings={}))
        else:
            # Nobody names them, so they follow the language.
            there_too[kind].name = name
    for source in there_too.values():
        source.on = source.on and source.kind in {kind for kind, _, _ in app.world.sources}
    if session.get(LiveWish, 1) is None:
        tracks = {"tracks": ["treated", "raw"]}
        session.add(
            LiveWish(
                id=1,
                live=False,
                block_ms=None,
                buffer_ms=None,
                case=None,
                tracks=tracks,
                feeds_stay=False,
            )
        )
    session.flush()


def is_offered(app: AppContext, row: DestinationRow | SourceRow) -> bool:
    """Whether this world has such a listener or source."""
    if isinstance(row, DestinationRow):
        return row.kind in dict(app.world.listeners)
    return row.kind in {kind for kind, _, _ in app.world.sources}


def has_case(app: AppContext, case: Case) -> bool:
    """Whether this world has all that a common case needs."""
    kinds = {kind for kind, _, _ in app.world.sources}
    return case.listeners <= set(dict(app.world.listeners)) and case.sources <= kinds


def destinations(session: Session) -> list[DestinationRow]:
    """Every listener, in its place."""
    return every(session, DestinationRow, DestinationRow.place)


def sources(session: Session) -> list[SourceRow]:
    """Every source, in its place."""
    return every(session, SourceRow, SourceRow.place)


def heard(session: Session) -> list[SourceRow]:
    """Every source in use; somebody beside only beside a rig that they share a desk with."""
    return [
        row
        for row in sources(session)
        if row.on and (row.kind != beside.PERSON or beside.is_there(session))
    ]


def live_wish(session: Session) -> LiveWish:
    """What the person wants of being live."""
    return session.get_one(LiveWish, 1)


def settings_of(row: DestinationRow) -> ProgramSettings:
    """What is set in a program."""
    known = {field.name for field in fields(ProgramSettings)}
    return ProgramSettings(**{name: value for name, value in row.settings.items() if name in known})


def changed_settings(settings: ProgramSettings) -> dict[str, Any]:
    """What differs from how such programs mostly come, as it is kept."""
    usual = asdict(ProgramSettings())
    return {name: value for name, value in asdict(settings).items() if value != usual[name]}


def pins_of(row: DestinationRow) -> MixPins:
    """What a person holds of a listener's mix."""
    return MixPins(**row.pins)


def all_routes(session: Session) -> Routing:
    """What is meant to go where, as kept: of what is in use, what is usual for each kind of
    listener or what the person chose."""
    rows = [row for row in destinations(session) if row.on]
    found = [Heard(row.key, row.name, cast(Any, row.kind)) for row in heard(session)]
    found += [
        Heard(f"return-{row.key}", back, "return", row.key)
        for row in rows
        if (back := returns_of(row)) is not None
    ]
    known = {source.key for source in found}
    seats = [Seat(row.key, row.name, cast(Any, row.kind), _plays_into(row, known)) for row in rows]
    routing = usual_sends(found, seats)
    chosen = {row.key for row in rows if row.sends is not None}
    sends = {send for send in routing.sends if send.destination not in chosen}
    for row in rows:
        sends |= {
            Send(source, row.key, cast(Any, tap))
            for source, tap in row.sends or ()
            if source in known
        }
    return Routing(routing.sources, routing.destinations, frozenset(sends))


def routes(session: Session) -> tuple[Routing, tuple[Send, ...]]:
    """What goes where, without what would loop or come twice, and what was cut for that."""
    return without_faults(all_routes(session))


def _plays_into(row: DestinationRow, known: set[str]) -> frozenset[str]:
    """Where what a listener plays can be heard: its return, and the computer's own sound, which
    carries whatever plays on it."""
    own = {f"return-{row.key}"} if returns_of(row) is not None else set()
    plays = kind_of(row).returns is not None or (
        # What is played to an output of this computer is its sound.
        row.plays is not None and row.kind == "headphones"
    )
    if plays and "computer" in known:
        own.add("computer")
    return frozenset(own)


def route(session: Session, send: Send, *, on: bool) -> Routing:
    """The routing with a send more or less.

    Raises RouteRefused with the path named; KeyError for what is not in use.
    """
    routing, _ = routes(session)
    if on:
        return admit(routing, send)
    return Routing(routing.sources, routing.destinations, routing.sends - {send})
