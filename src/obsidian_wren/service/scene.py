"""Who there is to hear and to be heard: sources and listeners as kept, and the graph of what goes where."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Any, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.mix.kinds import MixPins, usual_sends
from obsidian_wren.core.mix.routes import Destination as Seat
from obsidian_wren.core.mix.routes import Routing, Send, admit, without_faults
from obsidian_wren.core.mix.routes import Source as Heard
from obsidian_wren.service.kept import raw_name
from obsidian_wren.service.once import once
from obsidian_wren.service.ports import Program, ProgramSettings
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Destination, LiveWish, Source

# Listeners that pick their input by its name; the others are played to.
PICKING = ("call", "game chat", "stream")
# Listeners from which something comes back.
RETURNING = ("call", "game chat")
_FIRST_ON = ("call", "recorder", "headphones")
_FEEDS = {"call": "Wren: call", "game chat": "Wren: game", "stream": "Wren: stream"}
_SOURCES = (
    ("voice", "voice", "Your voice", True), ("second", "second", "Deck zither", False), ("computer", "computer", "Computer sound", False),
    ("music", "music", "Music", False), ("clips", "clips", "Clips", True),
)  # fmt: skip
# What is set in these programs when they are installed, as so often.
_FIRST_SETTINGS: dict[str, dict[str, Any]] = {
    "game chat": {"rate_hz": 24_000, "narrow_band": True, "activation_dbfs": -45.0},
    "headphones": {"latency_ms": 5.0}, "second computer": {"latency_ms": 10.0},
}  # fmt: skip


def key_of(kind: str) -> str:
    """The key of the listener of a kind."""
    return kind.replace(" ", "-")


def feed_of(kind: str) -> str | None:
    """The name of the feed for a kind of listener; None for one that is played to."""
    return _FEEDS.get(kind)


def destinations(ws: Workshop, session: Session) -> list[Destination]:
    """Every listener, in its place; those that are missing are set out as they come."""
    return once(session, "destinations", lambda: _destinations(ws, session))


def _destinations(ws: Workshop, session: Session) -> list[Destination]:
    rows = {row.key: row for row in session.scalars(select(Destination))}
    for place, (kind, name) in enumerate(ws.world.listeners):
        key = key_of(kind)
        if key in rows:
            continue
        picks = raw_name(session, the_rig(ws, session)) if kind in PICKING else None
        row = Destination(
            key=key, name=name, kind=kind, place=place, on=kind in _FIRST_ON, picks=picks, settings=dict(_FIRST_SETTINGS.get(kind, {})),
            sends=None, pins={},
        )  # fmt: skip
        session.add(row)
        rows[key] = row
    session.flush()
    return sorted(rows.values(), key=lambda row: row.place)


def sources(session: Session) -> list[Source]:
    """Every source, in its place."""
    return once(session, "sources", lambda: _sources(session))


def _sources(session: Session) -> list[Source]:
    rows = {row.key: row for row in session.scalars(select(Source))}
    for place, (key, kind, name, on) in enumerate(_SOURCES):
        if key not in rows:
            rows[key] = Source(key=key, name=name, kind=kind, place=place, on=on, settings={})
            session.add(rows[key])
    session.flush()
    return sorted(rows.values(), key=lambda row: row.place)


def live_wish(session: Session) -> LiveWish:
    """What the person wants of being live."""
    return once(session, "live wish", lambda: _live_wish(session))


def _live_wish(session: Session) -> LiveWish:
    row = session.get(LiveWish, 1)
    if row is None:
        row = LiveWish(id=1, live=False, block_ms=None, buffer_ms=None, case=None, tracks={"tracks": ["treated", "raw"]})
        session.add(row)
        session.flush()
    return row


def settings_of(row: Destination) -> ProgramSettings:
    """What is set in a program."""
    known = {field.name for field in fields(ProgramSettings)}
    return ProgramSettings(**{name: value for name, value in row.settings.items() if name in known})


def changed_settings(settings: ProgramSettings) -> dict[str, Any]:
    """What differs from how such programs mostly come, as it is kept."""
    usual = asdict(ProgramSettings())
    return {name: value for name, value in asdict(settings).items() if value != usual[name]}


def programs(ws: Workshop, rows: list[Destination]) -> dict[str, Program]:
    """The programs that listen, by key, as they are set and with what they picked."""
    for row in rows:
        if row.kind == "recorder":
            continue
        program = ws.programs.get(row.key)
        if program is None:
            program = ws.programs[row.key] = ws.world.make_program(row.kind, row.name, settings_of(row))
        program.name, program.picks = row.name, row.picks
        program.set(settings_of(row))
    return ws.programs


def pins_of(row: Destination) -> MixPins:
    """What a person holds of a listener's mix."""
    return MixPins(**row.pins)


def all_routes(ws: Workshop, session: Session) -> Routing:
    """What is meant to go where, as kept: of what is in use, what is usual for each kind of listener or what the person chose."""
    rows = [row for row in destinations(ws, session) if row.on]
    heard = [Heard(row.key, row.name, cast(Any, row.kind)) for row in sources(session) if row.on]
    heard += [Heard(f"return-{row.key}", _return_name(row), "return", row.key) for row in rows if row.kind in RETURNING]
    known = {source.key for source in heard}
    seats = [Seat(row.key, row.name, cast(Any, row.kind), _plays_into(row, known)) for row in rows]
    routing = usual_sends(heard, seats)
    chosen = {row.key for row in rows if row.sends is not None}
    sends = {send for send in routing.sends if send.destination not in chosen}
    for row in rows:
        sends |= {Send(source, row.key, cast(Any, tap)) for source, tap in row.sends or () if source in known}
    return Routing(routing.sources, routing.destinations, frozenset(sends))


def routes(ws: Workshop, session: Session) -> tuple[Routing, tuple[Send, ...]]:
    """What goes where, without what would loop or come twice, and what was cut for that."""
    return once(session, "routes", lambda: without_faults(all_routes(ws, session)))


def _return_name(row: Destination) -> str:
    return {"call": "The editor", "game chat": "The crew"}.get(row.kind, f"What {row.name} plays")


def _plays_into(row: Destination, known: set[str]) -> frozenset[str]:
    """Where what a listener plays can be heard: its return, and the computer's own sound, which carries whatever plays on it."""
    own = {f"return-{row.key}"} if row.kind in RETURNING else set()
    if row.kind in RETURNING and "computer" in known:
        own.add("computer")
    return frozenset(own)


def route(ws: Workshop, session: Session, send: Send, *, on: bool) -> Routing:
    """The routing with a send more or less. Raises RouteRefused with the path named; KeyError for what is not in use."""
    routing, _ = routes(ws, session)
    if on:
        return admit(routing, send)
    return Routing(routing.sources, routing.destinations, routing.sends - {send})
