"""The state in parts, one module a step: what the page shows, read from what is kept.

A page says which parts it has, by their words, and which it wants; what differs is read and sent.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Collection, Mapping
from dataclasses import asdict
from typing import Any, cast

from pydantic import BaseModel
from sqlalchemy import select

from obsidian_wren.core.derive.take_length import SECONDS, UNTIL_STEADY_S
from obsidian_wren.core.wording import _
from obsidian_wren.service import live, takes
from obsidian_wren.service.calibration import preferences, setting_rows
from obsidian_wren.service.changes import record
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.mixes.inputs import inputs_of
from obsidian_wren.service.page import (
    beside,
    chain,
    checks,
    computer,
    diagram,
    evidence,
    listeners,
    prove,
    rig,
    run,
    send_views,
    sheet,
    situations,
    steps,
    system_listeners,
    views,
)
from obsidian_wren.service.page import takes as takes_page
from obsidian_wren.service.page.sheet import Sheet, unknown
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation, TargetRow


def _rig(on: Sheet) -> views.RigPart:
    kept = rig.kept_things(on.ctx.session)
    return views.RigPart(
        rig=rig.rig_view(on.ctx.app, on.ctx.rig),
        rigs=rig.rig_names(on.ctx.session),
        **kept,
        controls=on.read(_("the gain controls"), lambda: rig.controls(on.ctx), []),
        outlook=on.read(
            _("what to expect"),
            lambda: rig.outlook_view(on.ctx, on.present),
            unknown(views.OutlookView),
        ),
        computer=on.read(
            _("the sound settings"),
            lambda: computer.computer_view(on.ctx),
            unknown(views.ComputerView),
        ),
    )


def _steps(on: Sheet) -> views.StepsPart:
    session = on.ctx.session
    # What is on its way need not be asked for.
    derivable = [] if on.working_out else staleness.derivable_answers(on.ctx, on.present)
    return views.StepsPart(
        steps=steps.steps(on.ctx, on.present, on.stale),
        derivable=steps.derivable(derivable),
        working_out=on.working_out,
        undo=steps.change_view(record.next_undo(session)),
        redo=steps.change_view(record.next_redo(session)),
        message=on.ctx.app.message,
    )


def _takes(on: Sheet) -> views.TakesPart:
    ctx = on.ctx
    # Held here: either may end while the state is read.
    running, watch = takes.current(ctx.app).running, live.current(ctx.app).watch
    part_id = running.part.id if running else None
    shown, older = on.read(_("the takes"), lambda: takes_page.takes_of(ctx, on.present), ([], []))
    return views.TakesPart(
        takes=shown,
        older_takes=cast(Any, older),
        halves=on.read(_("the half takes"), lambda: takes_page.halves(ctx.app, part_id), []),
        progress=running.view() if running else None,
        watch=views.WatchView(
            on=watch is not None and not watch.finished.is_set(),
            purpose=watch.purpose if watch else None,
        ),
        predictions=on.read(_("the predictions"), lambda: takes_page.predictions(ctx), {}),
        seconds=cast(Any, dict(SECONDS)),
        until_steady_s=UNTIL_STEADY_S,
    )


def _room(on: Sheet) -> views.RoomPart:
    ctx = on.ctx
    return views.RoomPart(
        quiet=on.read(_("the reading of the room"), lambda: evidence.room(ctx, "rest"), None),
        in_use=on.read(
            _("the reading of the room in use"), lambda: evidence.room(ctx, "in-use"), None
        ),
        split=on.read(
            _("the parts of the noise floor"),
            lambda: evidence.derivation(ctx, "split", views.SplitView, stale=on.stale["split"]),
            None,
        ),
        causes=on.read(
            _("the causes"), lambda: evidence.causes(ctx, stale=on.stale["causes"]), None
        ),
    )


def _talk(on: Sheet) -> views.TalkPart:
    ctx = on.ctx
    return views.TalkPart(
        talk=on.read(_("the reading of normal talk"), lambda: evidence.talk(ctx, "talk"), None),
        loud=on.read(_("the reading of loud talk"), lambda: evidence.talk(ctx, "loud"), None),
        soft=on.read(_("the reading of soft talk"), lambda: evidence.talk(ctx, "soft"), None),
        voice_causes=on.read(_("the causes in the voice"), lambda: evidence.voice_causes(ctx), []),
        gain_plan=on.read(
            _("the gain plan"),
            lambda: evidence.derivation(
                ctx, "gain", views.GainPlanView, stale=on.stale["gain-plan"]
            ),
            None,
        ),
    )


def _chain(on: Sheet) -> views.ChainPart:
    ctx = on.ctx
    targets = ctx.session.scalars(select(TargetRow).order_by(TargetRow.id))
    return views.ChainPart(
        stages=on.read(_("the stages"), lambda: chain.stages(ctx), []),
        repeatable=chain.repeatable(),
        settings=on.read(_("the settings"), lambda: chain.settings(ctx), []),
        preferences=on.read(
            _("your preferences"),
            lambda: preferences.PreferencesBody.model_validate(ctx.rig.preferences),
            preferences.PreferencesBody(),
        ),
        targets=on.read(
            _("the targets"),
            lambda: [views.TargetName(id=row.id, name=row.name) for row in targets],
            [],
        ),
    )


def _clean(on: Sheet) -> views.CleanPart:
    stale = on.stale["cleaning"]
    return views.CleanPart(
        clean=on.read(_("the cleaning"), lambda: evidence.clean(on.ctx, stale=stale), None)
    )


def _tone(on: Sheet) -> views.TonePart:
    return views.TonePart(tone=on.read(_("the tone"), lambda: evidence.tone(on.ctx), None))


def _delivery(on: Sheet) -> views.DeliveryPart:
    stale = on.stale["delivery"]
    return views.DeliveryPart(
        delivery=on.read(_("the voice chain"), lambda: evidence.delivery(on.ctx, stale=stale), None)
    )


def _diagram(on: Sheet) -> views.DiagramPart:
    stale = on.stale["diagram"]
    return views.DiagramPart(
        diagram=on.read(_("the level diagram"), lambda: diagram.diagram(on.ctx, stale), [])
    )


def _send(on: Sheet) -> views.SendPart:
    ctx = on.ctx
    shown = on.read(_("the listeners"), lambda: listeners.destinations(ctx), [])
    return views.SendPart(
        programs=on.read(_("the programs"), lambda: system_listeners.programs(ctx), []),
        players=on.read(_("what plays"), lambda: system_listeners.players(ctx), []),
        feeds_stay=scene.live_wish(ctx.session).feeds_stay,
        inputs=on.read(_("the inputs"), lambda: inputs_of(ctx), []),
        sources=on.read(_("the sources"), lambda: beside.sources(ctx), []),
        destinations=shown,
        proofs=listeners.proofs(shown),
        left_to_do=[*listeners.left_to_do(shown), *system_listeners.left_to_do(ctx)],
        cases=beside.cases(ctx),
        two_people=on.read(
            _("two people"), lambda: beside.two_people(ctx), unknown(send_views.TwoPeopleView)
        ),
        returns=on.read(_("the returns"), lambda: beside.returns(ctx), []),
        clips=on.read(_("the clips"), lambda: beside.clips(ctx), []),
        ducking=on.read(_("the ducking"), lambda: beside.ducking(ctx), None),
        cut=on.read(
            _("the mixes"), lambda: list(mix_rows.kept_mixes(ctx.session, ctx.rig).cut), []
        ),
        mixes_stale=on.read(_("the state of the mixes"), lambda: _mixes_stale(ctx), True),
    )


def _run(on: Sheet) -> views.RunPart:
    return views.RunPart(
        run=run.run(on.ctx),
        situations=on.read(_("the situations"), lambda: situations.situations(on.ctx), []),
        following=situations.following(on.ctx),
        noticing=run.noticing(on.ctx),
        recorder=run.recorder(on.ctx),
        recordings=on.read(_("the recordings"), lambda: run.recordings(on.ctx), []),
        bindings=on.read(_("the controllers"), lambda: run.bindings(on.ctx), []),
        clip_names=run.clip_names(on.ctx),
    )


def _prove(on: Sheet) -> views.ProvePart:
    ctx = on.ctx
    return views.ProvePart(
        pairs=on.read(_("the pairs"), lambda: prove.pairs(ctx), []),
        series=on.read(_("the series"), lambda: prove.series(ctx), None),
        ended_series=on.read(_("the series"), lambda: prove.ended(ctx), []),
        checks=on.read(_("the checks"), lambda: checks.checks(ctx), []),
        two=on.read(_("two microphones"), lambda: prove.two(ctx), None),
        rigs_beside=on.read(_("two microphones"), lambda: prove.rigs_beside(ctx), []),
        versions=on.read(_("the versions"), lambda: prove.versions(ctx), []),
        brought=on.read(
            _("the brought file"),
            lambda: prove.brought(ctx),
            None,
            code="unreadable-brought",
            action=_("Put the file away; none of it is in force."),
        ),
    )


# What reads each part, its shape, and what it is called where it cannot be read.
PARTS: Mapping[str, tuple[Callable[[Sheet], BaseModel], type[BaseModel], str]] = {
    "rig": (_rig, views.RigPart, _("the rig and its things")),
    "steps": (_steps, views.StepsPart, _("the steps")),
    "takes": (_takes, views.TakesPart, _("the takes")),
    "room": (_room, views.RoomPart, _("the room")),
    "talk": (_talk, views.TalkPart, _("the talk")),
    "chain": (_chain, views.ChainPart, _("the chain")),
    "clean": (_clean, views.CleanPart, _("the cleaning")),
    "tone": (_tone, views.TonePart, _("the tone")),
    "delivery": (_delivery, views.DeliveryPart, _("the voice chain")),
    "diagram": (_diagram, views.DiagramPart, _("the level diagram")),
    "send": (_send, views.SendPart, _("the listeners and sources")),
    "run": (_run, views.RunPart, _("what is live")),
    "prove": (_prove, views.ProvePart, _("what was proved")),
}


def _mixes_stale(ctx: RigContext) -> bool:
    """Whether the mixes have to be derived anew, or for the first time."""
    if ctx.session.get(Derivation, (ctx.rig.id, mix_rows.STEP)) is None:
        return setting_rows.chain_is_whole(ctx) and ctx.takes.voice is not None
    return mix_rows.stale(ctx)


def overview_json(
    app: AppContext,
    *,
    wanted: Collection[str] = tuple(PARTS),
    have: Mapping[str, str] | None = None,
) -> str:
    """The parts that are wanted, but for those that a page has already, as one JSON object with
    their fields. ``have`` gives the word of each part that the page has."""
    # Before anything is read: what changes meanwhile makes this old.
    revision = app.revision
    with app.sessions() as session:
        on = Sheet(in_hand(app, session))
        read = {name: _part(name, on) for name in PARTS if name in wanted}
    words = {name: _word(text) for name, text in read.items()}
    findings = (*app.findings, *sheet.current(app).unreadable.values())
    pieces = [
        f'"revision":{revision}',
        f'"have":{json.dumps(words)}',
        f'"findings":{json.dumps([asdict(found) for found in findings])}',
    ]
    # The fields of a part stand between its braces.
    pieces += [text[1:-1] for name, text in read.items() if words[name] != (have or {}).get(name)]
    return "{" + ",".join(pieces) + "}"


def _part(name: str, on: Sheet) -> str:
    """A part as JSON; where it cannot be read as a whole, its shape with nothing in it."""
    make, view, title = PARTS[name]
    found = on.read(title, lambda: make(on).model_dump_json(), "")
    return found or unknown(view).model_dump_json(warnings=False)


def _word(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=6).hexdigest()
