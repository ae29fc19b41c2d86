"""Send: what goes to whom, and the programs that listen."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, fields, replace
from typing import Any, cast

from sqlalchemy.orm import Session

from obsidian_wren.core.mix.cases import CASES, case
from obsidian_wren.core.mix.routes import RouteRefused, Send
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.preparing import prepare_anew, take_over
from obsidian_wren.service.live.simulated import let_programs_follow
from obsidian_wren.service.mixes import beside, mixing, scene
from obsidian_wren.service.mixes.inputs import inputs_of
from obsidian_wren.service.recording.recording import refuse_while_recording
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.send.feeds import ensure_feeds
from obsidian_wren.store.models import DestinationRow, SourceRow

_RATES = (8_000, 16_000, 24_000, 44_100, 48_000, 96_000)
_RANGES = {
    "activation_dbfs": (-90.0, 0.0),
    "latency_ms": (0.0, 500.0),
    "jitter_ms": (0.0, 200.0),
    "drift_ppm": (-1000.0, 1000.0),
    "bits": (6, 16),
}


def pick_input(app: AppContext, key: str, picks: str) -> None:
    """Another program picks an input by its name."""
    with app.sessions() as session:
        name = _listener(app, session, key).name
    with change(app, _("{name} chooses {picks}", name=name, picks=picks)) as session:
        row = _listener(app, session, key)
        if not scene.kind_of(row).picks:
            raise Refused(
                "no-pick",
                _("{name} receives what is played to it; it chooses nothing.", name=row.name),
            )
        if picks not in [entry.name for entry in inputs_of(in_hand(app, session))]:
            raise Refused(
                "no-input", _("There is no input with this name. Choose one from the list.")
            )
        row.picks = picks
    let_programs_follow(app)
    app.changed()


def _listener(app: AppContext, session: Session, key: str) -> DestinationRow:
    found = next((row for row in scene.destinations(session) if row.key == key), None)
    if found is None:
        raise Refused("no-destination", _("There is no listener with this name."))
    return found


def _source(session: Session, key: str) -> SourceRow:
    found = next((row for row in scene.sources(session) if row.key == key), None)
    if found is None:
        raise Refused("no-source", _("There is no source with this name."))
    return found


def set_program(app: AppContext, key: str, settings: dict[str, Any]) -> None:
    """Set something in a listening program, on its own page."""
    if {"rate_hz", "takes_hz", "speaks", "hears_itself"} & set(settings):
        refuse_while_recording(app)
    with changing_scene(app, _("Settings of {key}", key=key), anew=False) as scene_change:
        session = scene_change.session
        row = _listener(app, session, key)
        known = {field.name for field in fields(ProgramSettings)}
        if not set(settings) <= known:
            raise Refused("no-setting", _("This program has no such setting."))
        for name, (low, high) in _RANGES.items():
            value = settings.get(name)
            if value is not None and not low <= value <= high:
                raise Refused(
                    "range",
                    _(
                        "This goes from {low:g} to {high:g}. Choose a value in between.",
                        low=low,
                        high=high,
                    ),
                )
        if any(settings.get(name) not in (None, *_RATES) for name in ("rate_hz", "takes_hz")):
            raise Refused(
                "rate",
                _("This program supports ")
                + ", ".join(f"{rate / 1000:g}" for rate in _RATES)
                + _(" kHz. Choose one of them."),
            )
        before, usual = scene.settings_of(row), ProgramSettings()
        # Nothing said of a setting leaves it as such programs mostly come.
        changes = {k: getattr(usual, k) if v is None else v for k, v in settings.items()}
        after = replace(before, **changes)
        row.settings = scene.changed_settings(after)
        moved = (before.rate_hz, before.takes_hz) != (after.rate_hz, after.takes_hz)
        scene_change.anew = (
            moved or before.speaks != after.speaks or before.hears_itself != after.hears_itself
        )


def use_listener(app: AppContext, key: str, on: bool) -> None:
    """A listener is in use, or is not."""
    refuse_while_recording(app)
    with app.sessions() as session:
        name = _listener(app, session, key).name
    with changing_scene(app, f"{name} {'in use' if on else 'out of use'}") as scene_change:
        _listener(app, scene_change.session, key).on = on


def rename_listener(app: AppContext, key: str, name: str) -> None:
    """Call a listener by another name."""
    if not name.strip():
        raise Refused("no-name", _("A listener needs a name. Type one."))
    with changing_scene(app, _("{name} renamed", name=name), anew=False) as scene_change:
        _listener(app, scene_change.session, key).name = name.strip()[:80]


def use_source(app: AppContext, key: str, on: bool) -> None:
    """A source is in use, or is not. The voice always is."""
    refuse_while_recording(app)
    if key == "voice" and not on:
        raise Refused(
            "voice",
            _("Your voice is what this is about. Keep it out of single listeners instead."),
        )
    with app.sessions() as session:
        name = _source(session, key).name
        if key == beside.PERSON and on and not beside.is_there(session):
            raise Refused(
                "no-person",
                _("Say first whose rig it is: in Send, Two people."),
            )
    with changing_scene(app, f"{name} {'in use' if on else 'out of use'}") as scene_change:
        _source(scene_change.session, key).on = on


def set_route(app: AppContext, source: str, destination: str, tap: str, on: bool) -> None:
    """A source goes to a listener, or does not.

    A loop or a double is refused with the path named.
    """
    with app.sessions() as session:
        title = (
            f"{_source_name(app, session, source)} {'to' if on else 'kept from'}"
            f" {_listener(app, session, destination).name}"
        )
    with changing_scene(app, title, anew=False) as scene_change:
        session = scene_change.session
        try:
            routing = scene.route(session, Send(source, destination, cast(Any, tap)), on=on)
        except RouteRefused as refused:
            raise Refused("route", str(refused)) from refused
        except KeyError as missing:
            raise Refused(
                "not-in-use", _("One of the two is not in use. Take it into use first.")
            ) from missing
        row = _listener(app, session, destination)
        row.sends = [[send.source, send.tap] for send in routing.to(destination)]


def _source_name(app: AppContext, session: Session, key: str) -> str:
    routing, _ = scene.routes(session)
    found = routing.sources.get(key)
    return found.name if found is not None else key


def pin_mix(app: AppContext, key: str, name: str, value: float | None, source: str | None) -> None:
    """Hold something of a listener's mix, or let the derived value stand (None)."""
    ranges = {
        "aim_lufs": (-40.0, -10.0),
        "ceiling_dbtp": (-20.0, -0.5),
        "channels": (1, 2),
        "under_lu": (-12.0, 40.0),
        "duck_db": (0.0, 40.0),
    }
    if name not in ranges:
        raise Refused("no-setting", _("There is no such setting of a mix."))
    low, high = ranges[name]
    if value is not None and not low <= value <= high:
        raise Refused(
            "range",
            _("This goes from {low:g} to {high:g}. Choose a value in between.", low=low, high=high),
        )
    if name == "channels":
        refuse_while_recording(app)
    with app.sessions() as session:
        title = _listener(app, session, key).name
    with changing_scene(
        app,
        (
            _("Back to automatic: the mix for {title}", title=title)
            if value is None
            else _("Pinned the mix for {title}", title=title)
        ),
        anew=name == "channels",
    ) as scene_change:
        row = _listener(app, scene_change.session, key)
        pins = dict(row.pins)
        if name in ("under_lu", "duck_db"):
            held = dict(pins.get(name, {}))
            if source is None:
                raise Refused("no-source", _("Name the source this is for."))
            held.pop(source, None)
            pins[name] = held if value is None else {**held, source: value}
            if not pins[name]:
                pins.pop(name)
        else:
            pins.pop(name, None)
            if value is not None:
                pins[name] = int(value) if name == "channels" else value
        row.pins = pins


def usual_mix(app: AppContext, key: str) -> None:
    """Let go of everything that is held of a listener's mix, and of what was sent to it by hand."""
    refuse_while_recording(app)
    with changing_scene(app, _("The automatic mix")) as scene_change:
        row = _listener(app, scene_change.session, key)
        row.pins, row.sends = {}, None


def set_up(app: AppContext, key: str) -> list[str]:
    """Set up a common case in one go; returns what is left to do in other programs."""
    if key not in [c.key for c in CASES]:
        raise Refused("no-case", _("There is no such case. Choose one from the list."))
    refuse_while_recording(app)
    wanted = case(key)
    with changing_scene(app, _("Set up: {title}", title=wanted.title)) as scene_change:
        session = scene_change.session
        for row in scene.destinations(session):
            row.on = row.kind in wanted.listeners
            if row.on:
                row.sends, row.pins = None, {}
        for source in scene.sources(session):
            # Who sits at the desk is no matter of the occasion.
            if source.kind != beside.PERSON:
                source.on = source.kind in wanted.sources
        wish = scene.live_wish(session)
        wish.case = key
        if wanted.tracks:
            wish.tracks = {**wish.tracks, "tracks": list(wanted.tracks)}
    with app.sessions() as session:
        rows = [row for row in scene.destinations(session) if row.on and scene.kind_of(row).picks]
        return [
            _(
                "In {name}, choose “{feed_of}” as the microphone.",
                name=row.name,
                feed_of=scene.feed_of(row),
            )
            for row in rows
            if row.picks != scene.feed_of(row)
        ]


@dataclass
class _SceneChange:
    """A change of who hears or is heard. ``anew``: what is live has to be made anew for it."""

    session: Session
    anew: bool


@contextmanager
def changing_scene(app: AppContext, title: str, *, anew: bool = True) -> Iterator[_SceneChange]:
    """A change that what is live follows: what has to run is prepared first, and where it could
    not run the change is refused."""
    with app.lock:
        with change(app, title) as session:
            scene_change = _SceneChange(session, anew)
            yield scene_change
            prepared = prepare_anew(app, session) if scene_change.anew else None
        take_over(app, prepared)
    let_programs_follow(app)
    mixing.refresh(app)
    ensure_feeds(app)
    app.changed()
