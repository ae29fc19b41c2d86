"""Two people at one desk: whose rig the second microphone is, and how loud each is in the other's
microphone, measured while live."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.spill import SpillPath, SpillUnknown, measure_spill, require_apart
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration import setting_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.simulated import let_talk
from obsidian_wren.service.live.state import current as live_now
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import beside
from obsidian_wren.service.recording.recording import refuse_while_recording
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.send.listeners import changing_scene
from obsidian_wren.store.models import Rig
from obsidian_wren.voice.records import Track

Talker = Literal["voice", "person"]
MEASURE_S = 10.0
# What went on before the first word of it.
_LEAD_S = 0.5
_PATIENCE_S = 60.0


@dataclass
class SpillState:
    """What was measured of the two of these rigs, until both ways are known; who measures holds
    ``turn``."""

    rigs: tuple[int, int] | None = None
    ways: dict[Talker, SpillPath] = field(default_factory=dict)
    turn: threading.Lock = field(default_factory=threading.Lock)


def current(app: AppContext) -> SpillState:
    """What is measured by now."""
    return app.own(SpillState)


def choose_person(app: AppContext, rig_id: int | None) -> None:
    """The person beside you talks into this rig's microphone from now on; nobody where None."""
    refuse_while_recording(app)
    with app.sessions() as session:
        ctx = in_hand(app, session)
        name = _("nobody") if rig_id is None else _other(ctx, rig_id).name
    with changing_scene(app, _("Beside you: {name}", name=name)) as scene_change:
        session = scene_change.session
        own = in_hand(app, session).rig.id
        beside.keep_pair(session, None if rig_id is None else beside.Pair((own, rig_id)))
        beside.row_of(session).on = rig_id is not None


def _other(ctx: RigContext, rig_id: int) -> Rig:
    rig = ctx.session.get(Rig, rig_id)
    if rig is None:
        raise Refused("no-rig", _("This rig is no longer stored."))
    why = why_not(ctx, rig)
    if why is not None:
        raise Refused("no-person", why)
    return rig


def why_not(ctx: RigContext, rig: Rig) -> str | None:
    """Why nobody can sit beside the rig in hand with this one; None where somebody can."""
    if rig.id == ctx.rig.id:
        return _("This is the rig in hand. Choose the other person’s.")
    if rig.source != ctx.rig.source or rig.source not in ("system", "simulated"):
        return _("Both rigs need a microphone of this computer. Choose one for each in Rig.")
    if not setting_rows.chain_is_whole(RigContext(ctx.app, ctx.session, rig)):
        return _(
            "“{name}” is not calibrated yet. Take it in hand, and calibrate it.", name=rig.name
        )
    return None


def measure(app: AppContext, who: Talker) -> None:
    """Some seconds in which only one of the two talks. Once both have, each is lowered while only
    the other one talks. Raises Refused."""
    refuse_while_recording(app)
    run = live_now(app).running
    if run is None or beside.PERSON not in run.beside:
        raise Refused("not-live", _("Both have to be live for this. Start live first."))
    with app.sessions() as session:
        if beside.on_two_devices(in_hand(app, session)):
            raise Refused(
                "two-devices",
                _(
                    "Two devices have a clock each, so what one hears is not found in the other"
                    " to the millisecond. Put both microphones on inputs of one device to have"
                    " each lowered."
                ),
            )
    turn = current(app).turn
    if not turn.acquire(blocking=False):
        raise Refused(
            "spill-under-way",
            _(
                "The spill is being measured already, perhaps in another window. Wait"
                " {seconds:.0f} seconds, then press again.",
                seconds=MEASURE_S,
            ),
        )
    try:
        own, other = _heard(app, run, who)
    finally:
        turn.release()
    try:
        path = app.work(_measured, own, other, run.rate_hz)
        _keep(app, who, path)
    except SpillUnknown as unknown:
        raise Refused(unknown.code, str(unknown)) from unknown


def _measured(_app: AppContext, own: Samples, other: Samples, rate_hz: int) -> SpillPath:
    return measure_spill(own, other, rate_hz=rate_hz)


def _keep(app: AppContext, who: Talker, path: SpillPath) -> None:
    with app.sessions() as session:
        pair = beside.pair_of(in_hand(app, session))
    state = current(app)
    if pair is None:
        raise Refused("no-person", _("Nobody sits beside you any more."))
    if state.rigs != pair.rigs:
        state.rigs, state.ways = pair.rigs, {}
    state.ways[who] = path
    if len(state.ways) < 2:
        app.changed()
        return
    both = state.ways["voice"], state.ways["person"]
    state.ways = {}
    require_apart(*both)
    with changing_scene(app, _("Spill measured")) as scene_change:
        session = scene_change.session
        beside.keep_pair(session, beside.measured(in_hand(app, session), both))


def _heard(app: AppContext, run: VoiceRun, who: Talker) -> tuple[Samples, Samples]:
    """What both microphones hear, the talker's first."""
    first: list[Samples] = []
    second: list[Samples] = []
    lead, wanted = round(_LEAD_S * run.rate_hz), round((_LEAD_S + MEASURE_S) * run.rate_hz)
    enough = threading.Event()

    def hear(blocks: tuple[Samples, ...]) -> None:
        first.append(blocks[0][:, 0].copy())
        second.append(blocks[1][:, 0].copy())
        if sum(map(len, first)) >= wanted:
            enough.set()

    let_talk(app, who)
    tracks = [Track("voice as heard"), Track("person as heard")]
    end = run.follow("spill", tracks, hear)
    try:
        heard_all = enough.wait(_PATIENCE_S)
    finally:
        end()
        let_talk(app, "both")
    if not heard_all or run.finished.is_set():
        raise Refused("not-live", _("You are no longer live."))
    voice, person = (np.concatenate(blocks)[lead:wanted] for blocks in (first, second))
    return (voice, person) if who == "voice" else (person, voice)
