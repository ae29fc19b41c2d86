"""What is simulated of what is live, or listened into, follows what is kept."""

from __future__ import annotations

from contextlib import suppress
from typing import Literal

import numpy as np
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import controls_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import DestinationRow
from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused


def rig_of(ctx: RigContext) -> records.SimulatedRigRecord:
    """The simulated rig in hand, its controls where the person left them."""
    return records.SimulatedRigRecord(ctx.rig.spec_json, controls_of(ctx))


def program_of(row: DestinationRow) -> records.Program:
    """The program of a listener as it is set, and what it picked."""
    return records.Program(row.picks, scene.settings_of(row))


def let_rig_follow(app: AppContext, session: Session) -> None:
    """The controls of the rig in hand stand as they do in the session."""
    ctx = in_hand(app, session)
    if ctx.rig.source == "simulated":
        _ask(app, records.Turn(controls_of(ctx)))


def let_programs_follow(app: AppContext) -> None:
    """Programs are as their rows say."""
    if app.world.system is not None:
        return
    with app.sessions() as session:
        of = {row.key: program_of(row) for row in scene.destinations(session)}
    _ask(app, records.SetPrograms(of))


def let_talk(app: AppContext, who: Literal["voice", "person", "both"]) -> None:
    """Who talks of two simulated people; real ones are asked by the page."""
    if app.world.system is None:
        _ask(app, records.LetTalk(who))


def sound_at(
    app: AppContext, key: str, what: Literal["sent", "heard", "returned"], seconds: float
) -> tuple[Samples, int]:
    """The last of what was sent to a listener, of what a simulated program heard after its own
    processing, or gave back, ``(n,)``, and its rate; of a real program only what was sent is
    known."""
    link = link_of(app)
    asked: Literal["sent", "heard", "given back"] = "sent"
    if app.world.system is None and what != "sent":
        asked = "heard" if what == "heard" else "given back"
    try:
        found = link.ask(records.AskSound(key, asked, seconds)) if link.is_there else None
    except VoiceRefused:
        found = None
    if not isinstance(found, records.Sound):
        return np.zeros(0), 1
    return records.samples_of(found.samples), found.rate_hz


def _ask(app: AppContext, request: records.Request) -> None:
    link = link_of(app)
    if link.is_there:
        # One that ended meanwhile is begun again with what is kept.
        with suppress(VoiceRefused):
            link.ask(request)
