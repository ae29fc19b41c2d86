"""Listeners: what each picks, gets and proves."""

from __future__ import annotations

from typing import Any, cast

import numpy as np
from sqlalchemy import select

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.derive.verdicts import mix_facts
from obsidian_wren.core.mix.audit import ListenerFacts, audit_listener
from obsidian_wren.core.mix.checks import Check, ProofFacts, listener_checks
from obsidian_wren.core.mix.kinds import RULES, VOICE_OVER_LU
from obsidian_wren.core.mix.routes import RouteRefused, Routing, Send, admit
from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.live import muting
from obsidian_wren.service.mixes import own_system, scene
from obsidian_wren.service.mixes.mix_rows import KeptMix, KeptSend, kept_mixes
from obsidian_wren.service.page import send_views, system_listeners
from obsidian_wren.service.rig import computer_rows
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import DestinationRow, Proof, StageRow

_TOLERANCE_LU = 0.5
_CLEANING = tuple(kind.kind for kind in KINDS.values() if kind.cleans)


def destinations(ctx: RigContext) -> list[send_views.DestinationView]:
    """Every listener."""
    rows = [row for row in scene.destinations(ctx.session) if scene.is_offered(ctx.app, row)]
    real = system_listeners.is_real(ctx)
    routing, _ = scene.routes(ctx.session)
    kept = kept_mixes(ctx.session, ctx.rig)
    feeds = {feed: row.name for row in rows if row.on and (feed := scene.feed_of(row))}
    cleans = any(
        row.runs
        for row in ctx.session.scalars(
            select(StageRow).where(StageRow.rig_id == ctx.rig.id, StageRow.kind.in_(_CLEANING))
        )
    )
    newest = {
        proof.destination: proof for proof in ctx.session.scalars(select(Proof).order_by(Proof.id))
    }
    muted, push = muting.kept(ctx.session)
    found = []
    for row in rows:
        entry = kept.listeners.get(row.key) if row.on else None
        feed = scene.feed_of(row)
        proof = newest.get(row.key)
        audit: list[Verdict] = []
        if real and row.on:
            audit = system_listeners.audit(ctx, row)
        elif feed is not None and row.on:
            audit = _audit(ctx, row, feeds, entry, cleans=cleans)
        found.append(
            convert(
                send_views.DestinationView,
                row,
                feed=feed,
                settable=() if real else scene.kind_of(row).settings,
                sounds=_sounds(row, real=real),
                program=(
                    scene.settings_of(row) if scene.kind_of(row).has_program and not real else None
                ),
                mix=(
                    _mix(row, entry, routing)
                    if entry is not None and row.key in routing.destinations
                    else None
                ),
                audit=audit,
                checks=_checks(row, audit, proof, provable=_provable(ctx, row)),
                proof=_proof(proof, row) if proof is not None else None,
                delay=_delay(ctx.app, row.key),
                muted=row.key in muted,
                push=row.key in push,
                mute_reaches=feed is not None and (real or row.picks == feed),
            )
        )
    return found


def _sounds(row: DestinationRow, *, real: bool) -> tuple[str, ...]:
    """What of a listener can be heard; of a real program only what is sent to it."""
    return ("sent",) if real and scene.kind_of(row).has_program else scene.kind_of(row).sounds


def _provable(ctx: RigContext, row: DestinationRow) -> bool:
    """Whether a marker can be looked for there: at any stand-in, else at an input of ours."""
    if not system_listeners.is_real(ctx):
        return scene.kind_of(row).has_program
    return row.key in own_system.current(ctx.app).held


def _mix(row: DestinationRow, entry: KeptMix, routing: Routing) -> send_views.MixView:
    names = {key: source.name for key, source in routing.sources.items()}
    kinds = {key: source.kind for key, source in routing.sources.items()}
    sends = [
        convert(
            send_views.SentView,
            send,
            name=names[send.source],
            kind=kinds[send.source],
            under_lu=_under(row, send, kinds[send.source]),
        )
        for send in entry.sends
        if send.source in names
    ]
    kept_out = [
        send_views.KeptOutView(
            source=key, name=names[key], why=why, could=_could(routing, key, row.key)
        )
        for key, why in entry.kept_out
        if key in names
    ]
    facts = mix_facts(
        lufs=entry.outcome.lufs,
        aim_lufs=entry.aim_lufs,
        tolerance_lu=_TOLERANCE_LU,
        voice_over_lu=entry.outcome.voice_over_lu,
        least_over_lu=VOICE_OVER_LU - _TOLERANCE_LU,
    )
    pins = [name for name in row.pins if name not in ("under_lu", "duck_db")]
    return convert(
        send_views.MixView,
        entry,
        entry.outcome,
        tolerance_lu=_TOLERANCE_LU,
        sends=sends,
        kept_out=kept_out,
        facts=facts,
        pins=pins,
    )


def _under(row: DestinationRow, send: KeptSend, kind: Any) -> float | None:
    held = row.pins.get("under_lu", {}).get(send.source)
    if held is not None:
        return float(held)
    share = RULES[cast(Any, row.kind)].shares.get(kind)
    return share.under_lu if share is not None else 6.0


def _could(routing: Routing, source: str, destination: str) -> bool:
    try:
        admit(routing, Send(source, destination))
    except RouteRefused:
        return False
    return True


def _audit(
    ctx: RigContext,
    row: DestinationRow,
    feeds: dict[str, str],
    entry: KeptMix | None,
    *,
    cleans: bool,
) -> list[Verdict]:
    settings, held = scene.settings_of(row), live.current(ctx.app).run
    facts = convert(
        ListenerFacts,
        settings,
        name=row.name,
        picks=row.picks,
        own_feed=cast(str, scene.feed_of(row)),
        raw_name=computer_rows.raw_name(ctx.session, ctx.rig),
        feeds=feeds,
        mix_rate_hz=ctx.rig.rate_hz if held is None else held.rate_hz,
        chain_cleans=cleans,
    )
    levels = np.array(entry.word_levels) if entry is not None and entry.word_levels else None
    return list(audit_listener(facts, levels))


def _checks(
    row: DestinationRow, audit: list[Verdict], proof: Proof | None, *, provable: bool
) -> list[Check]:
    facts = None
    if proof is not None:
        facts = convert(
            ProofFacts,
            proof.body,
            stale=row.picks != proof.picks,
            # What a real program adds is not known.
            beyond=_("in the program") if row.plays is None else _("on the way to it"),
        )
    checks = listener_checks(audit, facts, provable=provable)
    return list(checks)


def _proof(proof: Proof, row: DestinationRow) -> send_views.ProofView:
    return convert(send_views.ProofView, proof.body, proof, stale=row.picks != proof.picks)


def _delay(app: AppContext, key: str) -> send_views.PathDelayView | None:
    run = live.current(app).run
    if run is None or run.finished.is_set():
        return None
    seat = next((seat for seat in run.seats if seat.key == key), None)
    if seat is None:
        return None
    delay = run.delay_of(cast(Any, seat))
    return send_views.PathDelayView(
        chain_ms=round(delay.chain_ms, 2),
        mix_ms=round(delay.mix_ms, 2),
        block_ms=delay.block_ms,
        edge_ms=round(delay.edge_ms, 2),
        total_ms=round(delay.total_ms, 1),
        drift_ppm=round(seat.drift_ppm, 1),
    )


def proofs(shown: list[send_views.DestinationView]) -> send_views.ProofCountView:
    """How many listeners in use that pick an input are proved."""
    picking = [entry for entry in shown if entry.on and entry.feed]
    good = [
        entry for entry in picking if entry.proof and entry.proof.good and not entry.proof.stale
    ]
    return send_views.ProofCountView(good=len(good), all=len(picking))


def left_to_do(shown: list[send_views.DestinationView]) -> list[str]:
    """What a person has to do in other programs before it holds."""
    audits = [verdict for entry in shown if entry.on for verdict in entry.audit]
    return [v.advice for v in audits if v.mark == "fault" and v.advice]
