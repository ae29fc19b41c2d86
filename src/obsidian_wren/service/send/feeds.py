"""Feeds as inputs of this computer's system: there for every listener in use, under its name."""

from __future__ import annotations

from contextlib import suppress
from typing import cast

from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import NoSoundServer, SystemSound
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import state as live
from obsidian_wren.service.live.simulated import let_programs_follow
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.mixes import mix_rows, mixing, own_system, scene
from obsidian_wren.service.rig.computer_rows import devices_of
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store.models import DestinationRow
from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused
from obsidian_wren.voice.moving import move_listeners


def ensure_feeds(app: AppContext) -> bool:
    """Make the inputs that are missing, make anew what nothing reaches any more, take away what is
    out of use. Returns whether anything changed; what the server would not make is kept as a
    trouble of its listener."""
    system = app.world.system
    if system is None or system.seen.missing is not None:
        return False
    feeds, link = own_system.current(app), link_of(app)
    with feeds.following:
        with app.sessions() as session:
            rows = [row for row in scene.destinations(session) if scene.is_offered(app, row)]
            mixed = mix_rows.kept_mixes(session, the_rig(app, session)).listeners
            wanted = {
                row.key: records.FeedRecord(
                    title, mixed[row.key].channels if row.key in mixed else 1
                )
                for row in rows
                if row.on and (title := scene.feed_of(row)) is not None
            }
            stay = scene.live_wish(session).feeds_stay
            changed = _follow_outputs(app, rows)
        before = (feeds.held, dict(feeds.troubles))
        asked = records.Feeds(wanted, stay)
        try:
            if (wanted or link.is_there) and (asked != link.feeds or feeds.troubles):
                feeds.troubles = cast(records.Troubles, link.ask(asked)).of
            _tell_ends(app)
        except VoiceRefused as error:
            feeds.troubles = dict.fromkeys(wanted, str(error))
        status = link.status()
        feeds.held = () if status is None else status.feeds
        changed |= before != (feeds.held, feeds.troubles)
    if changed:
        system.look()
    return changed


def _tell_ends(app: AppContext) -> None:
    """What is live plays and hears where the ends are now."""
    link, ends = link_of(app), own_system.ends(app)
    if link.running is not None and link.running.ends != ends:
        link.ask(ends)


def leave_feeds(app: AppContext, *, goes_on: bool = False) -> None:
    """The program ends: the voice goes on without it, or ends too. Then the inputs are taken away,
    unless they are to stay or programs record them: those carry silence from then on."""
    system = app.world.system
    if system is None:
        return
    link, feeds = link_of(app), own_system.current(app)
    if goes_on and link.running is not None:
        link.leave()
        return
    link.end()
    feeds.held = ()
    outputs = {device.id for device in system.seen.devices if device.direction == "output"}
    for key in feeds.returns:
        ours = system.input_name(_return_key(key))
        if ours in outputs:
            with suppress(SourceGone, NoSoundServer):
                _give_back(system, key, ours)


def keep_feeds(app: AppContext, stay: bool) -> None:
    """Whether the inputs stay in the system when the program ends."""
    with app.sessions.begin() as session:
        scene.live_wish(session).feeds_stay = stay
    ensure_feeds(app)
    app.changed()


def name_feed(app: AppContext, key: str, title: str | None) -> None:
    """Give a feed another name; None for the usual one. Programs that listen have to pick it
    again."""
    name = (title or "").strip()[:80] or None
    if name is not None and app.world.system is not None:
        name = app.world.system.listed_as(name)
    with change(
        app,
        _("Named a feed {name}", name=name) if name else _("A feed with its usual name"),
    ) as session:
        rows = scene.destinations(session)
        row = next((row for row in rows if row.key == key), None)
        if row is None or scene.feed_of(row) is None:
            raise Refused("no-destination", _("There is no feed with this name."))
        others = {scene.feed_of(other) for other in rows if other is not row}
        if name in others:
            raise Refused(
                "name-taken",
                _("Another feed is already called “{name}”. Choose another name.", name=name),
            )
        before = scene.feed_of(row)
        row.title = name
        if row.picks == before:
            row.picks = scene.feed_of(row)
    let_programs_follow(app)
    ensure_feeds(app)
    # What is live knows its inputs by their names.
    mixing.refresh(app)
    app.changed()


def move_listener(app: AppContext, index: int, key: str) -> None:
    """Let a program that records hear a feed. Its own menu goes on naming what it picked."""
    system = _system(app)
    if key not in own_system.current(app).held:
        raise Refused(
            "no-input", _("This feed does not exist yet. Take its listener into use first.")
        )
    with app.sessions() as session:
        title = scene.feed_of(_row(app, scene.destinations(session), key))
    left = move_listeners(system, {index}, system.input_name(key))
    app.changed()
    if not left:
        return
    if index not in {one.index for one in system.seen.listeners}:
        raise Refused("gone", _("This program no longer records."))
    raise Refused(
        "not-moved",
        _(
            "The sound server did not move this program. Choose “{feed}” in the program’s own"
            " menu.",
            feed=title,
        ),
    )


def choose_output(app: AppContext, key: str, device_id: str | None) -> None:
    """Which output of the computer headphones are on; None for none."""
    _system(app)
    with app.sessions() as session:
        found = {
            d.id: d.title
            for d in devices_of(app, session)
            if d.direction == "output" and d.kind != "feed"
        }
    if device_id is not None and device_id not in found:
        raise Refused("no-device", _("The computer no longer lists this output."))
    title = (
        _("Headphones on {found}", found=found[device_id])
        if device_id
        else _("Headphones on no output")
    )
    with change(app, title) as session:
        row = _row(app, scene.destinations(session), key)
        row.plays = device_id or ""
    ensure_feeds(app)
    app.changed()


def choose_return(app: AppContext, key: str, index: int | None) -> None:
    """Take what a program plays as the return from a listener: while live it plays to an output of
    ours, and from there into the mixes. None lets it play where it did."""
    system = _system(app)
    if live.current(app).running is not None:
        raise Refused("live", _("You are live. Stop live first, then choose the return."))
    player = next((one for one in system.seen.players if one.index == index), None)
    if index is not None and player is None:
        raise Refused("gone", _("This program no longer plays. Let it play, then choose it again."))
    title = _("Return from {program}", program=player.program) if player else _("No return")
    with change(app, title) as session:
        row = _row(app, scene.destinations(session), key)
        row.plays = player.program if player else ""
    ensure_feeds(app)
    app.changed()


def _return_key(key: str) -> str:
    return f"return-{key}"


def _follow_outputs(app: AppContext, rows: list[DestinationRow]) -> bool:
    """Where headphones are and the returns, as the rows say; whether the system changed."""
    system, feeds = _system(app), own_system.current(app)
    outputs = {device.id for device in system.seen.devices if device.direction == "output"}
    is_live, changed = live.current(app).running is not None, False
    usual = next((d for d in system.seen.devices if d.direction == "output" and d.is_default), None)
    feeds.computer = None if usual is None else system.monitor_of(usual.id)
    for row in rows:
        if row.kind == "headphones":
            feeds.outputs[row.key] = row.plays if row.on and row.plays in outputs else None
        elif scene.kind_of(row).returns is not None:
            ours = system.input_name(_return_key(row.key))
            feeds.returns[row.key] = system.monitor_of(ours) if row.on and row.plays else None
            # While nothing is live the program is heard where it always was.
            with suppress(SourceGone, NoSoundServer):
                if row.on and row.plays and is_live:
                    changed |= _take_back(system, row.key, row.plays, ours)
                elif ours in outputs:
                    changed |= _give_back(system, row.key, ours)
    return changed


def _take_back(system: SystemSound, key: str, program: str, ours: str) -> bool:
    """Let a program play to our output for it, whenever it plays."""
    wrong = [one for one in system.seen.players if one.program == program and one.output != ours]
    if not wrong:
        return False
    system.ensure_output(_return_key(key), f"Wren: from {program}")
    for one in wrong:
        system.move_output(one.index, ours)
    return True


def _give_back(system: SystemSound, key: str, ours: str) -> bool:
    """Let whoever plays to our output play to the default one again, and take ours away."""
    usual = next(
        (
            device.id
            for device in system.seen.devices
            if device.direction == "output" and device.is_default and device.id != ours
        ),
        None,
    )
    for one in system.seen.players:
        if one.output == ours and usual is not None:
            system.move_output(one.index, usual)
    system.remove_output(_return_key(key))
    return True


def _system(app: AppContext) -> SystemSound:
    if app.world.system is None:
        raise Refused(
            "simulated",
            _("The computer is simulated here. Start “obsidian-wren serve” for your own."),
        )
    return app.world.system


def _row(app: AppContext, rows: list[DestinationRow], key: str) -> DestinationRow:
    for row in rows:
        if row.key == key and scene.is_offered(app, row):
            return row
    raise Refused("no-destination", _("There is no listener with this name."))
