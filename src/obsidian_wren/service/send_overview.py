"""Send as the page shows it, read from what is kept and from what runs."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, cast

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.mix.audit import ListenerFacts, audit_listener
from obsidian_wren.core.mix.cases import CASES
from obsidian_wren.core.mix.kinds import RULES, VOICE_OVER_LU
from obsidian_wren.core.mix.routes import RouteRefused, Routing, Send, admit
from obsidian_wren.service import clip_rows, kept, scene
from obsidian_wren.service import send_views as views
from obsidian_wren.service.mix_basis import mixes_body
from obsidian_wren.service.tracks import EARLY_MIN, room_left_min, tracks_for
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Destination, Proof, Recording, Rig, StageRow
from obsidian_wren.store.take_files import SoundLost

_TOLERANCE_LU = 0.5
_MOST_RECORDINGS = 60
_WHEN_STOPPED = "Feeds carry silence: who picked one hears nothing. Who picked the microphone itself goes on hearing it raw."
_CLEANING = ("noise_reduction", "gate")


def destinations(ws: Workshop, session: Session, rig: Rig) -> list[views.DestinationView]:
    """Every listener."""
    rows = scene.destinations(ws, session)
    routing, _ = scene.routes(ws, session)
    body = mixes_body(session, rig)
    feeds = {feed: row.name for row in rows if row.on and (feed := scene.feed_of(row.kind))}
    cleans = any(
        row.runs for row in session.scalars(select(StageRow).where(StageRow.rig_id == rig.id, StageRow.kind.in_(_CLEANING)))
    )  # fmt: skip
    newest = {proof.destination: proof for proof in session.scalars(select(Proof).order_by(Proof.id))}
    found = []
    for row in rows:
        entry = body["listeners"].get(row.key) if row.on else None
        feed = scene.feed_of(row.kind)
        proof = newest.get(row.key)
        found.append(
            views.DestinationView(
                key=row.key, name=row.name, kind=cast(Any, row.kind), on=row.on, feed=feed, picks=row.picks,
                program=None if row.kind == "recorder" else views.ProgramSettingsView(**asdict(scene.settings_of(row))),
                mix=_mix(row, entry, routing) if entry is not None and row.key in routing.destinations else None,
                audit=_audit(ws, session, rig, row, feeds, entry, cleans=cleans) if feed is not None and row.on else [],
                proof=_proof(proof, row) if proof is not None else None, delay=_delay(ws, row.key),
            )
        )  # fmt: skip
    return found


def _mix(row: Destination, entry: dict[str, Any], routing: Routing) -> views.MixView:
    names = {key: source.name for key, source in routing.sources.items()}
    kinds = {key: source.kind for key, source in routing.sources.items()}
    aim = entry["aim_lufs"]
    sends = [
        views.SentView(
            **{name: send[name] for name in ("source", "tap", "lufs", "gain_db", "duck_db", "pinned", "because")}, name=names[send["source"]],
            kind=kinds[send["source"]], under_lu=_under(row, send, kinds[send["source"]]),
        )
        for send in entry["sends"]
        if send["source"] in names
    ]  # fmt: skip
    kept_out = [
        views.KeptOutView(source=key, name=names[key], why=why, could=_could(routing, key, row.key))
        for key, why in entry["kept_out"]
        if key in names
    ]
    outcome = entry["outcome"]
    pins = [name for name in row.pins if name not in ("under_lu", "duck_db")]
    return views.MixView(
        aim_lufs=aim, tolerance_lu=_TOLERANCE_LU, ceiling_dbtp=entry["ceiling_dbtp"], channels=entry["channels"], because=entry["because"],
        sends=sends, kept_out=kept_out, lufs=outcome["lufs"], true_peak_dbtp=outcome["true_peak_dbtp"],
        voice_over_lu=outcome["voice_over_lu"], voice_over_aim_lu=VOICE_OVER_LU - _TOLERANCE_LU, pins=pins,
    )  # fmt: skip


def _under(row: Destination, send: dict[str, Any], kind: Any) -> float | None:
    held = row.pins.get("under_lu", {}).get(send["source"])
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
    ws: Workshop, session: Session, rig: Rig, row: Destination, feeds: dict[str, str], entry: dict[str, Any] | None, *, cleans: bool
) -> list[views.VerdictView]:
    settings = scene.settings_of(row)
    facts = ListenerFacts(
        name=row.name, picks=row.picks, own_feed=cast(str, scene.feed_of(row.kind)), raw_name=kept.raw_name(session, rig), feeds=feeds,
        mix_rate_hz=ws.run.rate_hz if ws.run is not None else rig.rate_hz, also=settings.also, rate_hz=settings.rate_hz, muted=settings.muted, noise_removal=settings.noise_removal,
        auto_gain=settings.auto_gain, echo_cancelling=settings.echo_cancelling, activation_dbfs=settings.activation_dbfs,
        hears_itself=settings.hears_itself, chain_cleans=cleans,
    )  # fmt: skip
    levels = np.array(entry["word_levels"]) if entry is not None and entry["word_levels"] else None
    return [views.VerdictView(**asdict(verdict)) for verdict in audit_listener(facts, levels)]


def _proof(proof: Proof, row: Destination) -> views.ProofView:
    body = proof.body
    return views.ProofView(
        good=proof.good, verdicts=[views.VerdictView(**verdict) for verdict in body["verdicts"]], delay_ms=body["delay_ms"],
        ours_ms=body["ours_ms"], level_db=body["level_db"], lufs=body["lufs"], at=proof.at, stale=row.picks != proof.picks,
    )  # fmt: skip


def _delay(ws: Workshop, key: str) -> views.PathDelayView | None:
    run = ws.run
    if run is None or run.finished.is_set():
        return None
    seat = next((seat for seat in run.seats if seat.key == key), None)
    if seat is None:
        return None
    delay = run.delay_of(seat)
    return views.PathDelayView(
        chain_ms=round(delay.chain_ms, 2), mix_ms=round(delay.mix_ms, 2), block_ms=delay.block_ms, edge_ms=round(delay.edge_ms, 2),
        total_ms=round(delay.total_ms, 1), drift_ppm=round(seat.edge.drift_ppm, 1),
    )  # fmt: skip


def sources(ws: Workshop, session: Session, rig: Rig) -> list[views.SourceView]:
    """Every source, and what comes back from listeners in use."""
    body = mixes_body(session, rig)
    measured = body["sources"]
    found = [
        views.SourceView(
            key=s.key,
            name=s.name,
            kind=cast(Any, s.kind),
            on=s.on,
            lufs=measured.get(s.key, measured.get(f"{s.key} treated")),
            because=body.get("second", []) if s.kind == "second" and s.on else [],
        )
        for s in scene.sources(session)
    ]
    routing, _ = scene.routes(ws, session)
    for key, source in routing.sources.items():
        if source.kind == "return":
            found.append(views.SourceView(key=key, name=source.name, kind="return", on=True, lufs=None, because=[]))
    return found


def cases(session: Session) -> list[views.CaseView]:
    """The common cases."""
    chosen = scene.live_wish(session).case
    return [views.CaseView(key=case.key, title=case.title, chosen=case.key == chosen) for case in CASES]


def returns(ws: Workshop, session: Session) -> list[views.ReturnView]:
    """What comes back, as far as it was measured."""
    routing, _ = scene.routes(ws, session)
    found = []
    for source in routing.sources.values():
        if source.kind != "return" or source.of is None:
            continue
        plan = ws.return_plans.get(source.of)
        found.append(
            views.ReturnView(
                of=source.of, name=source.name, because=list(plan.because) if plan is not None else [],
                before=views.ReturnReadingView(**asdict(plan.before)) if plan is not None else None,
                after=views.ReturnReadingView(**asdict(plan.after)) if plan is not None else None,
            )
        )  # fmt: skip
    return found


def clips(ws: Workshop, session: Session) -> list[views.ClipView]:
    """The clips, in their places. One whose sound is lost says so."""
    found = []
    for row in clip_rows.rows(session):
        waveform, fault = [], row.fault
        try:
            waveform = clip_rows.waveform_of(ws, row)
        except SoundLost as lost:
            fault = str(lost)
        found.append(
            views.ClipView(
                id=row.id, name=row.name, seconds=round(row.frames / row.rate_hz, 2), start_s=row.start_s, end_s=round(row.end_s, 3),
                lufs=row.lufs, key=row.key, waveform=waveform, fault=fault,
            )
        )  # fmt: skip
    return found


def ducking(session: Session, rig: Rig) -> views.DuckingView | None:
    """How what plays under the voice drops, once it is derived."""
    body = mixes_body(session, rig)
    held = body.get("ducking")
    if held is None:
        return None
    names = ("threshold_dbfs", "attack_ms", "hold_ms", "release_ms")
    return views.DuckingView(**{name: held[name] for name in names}, because=body["ducking_because"])


def run(ws: Workshop, session: Session) -> views.RunView:
    """The live run."""
    held, recorder_held = ws.run, ws.recorder
    live = held is not None and not held.finished.is_set()
    wish = scene.live_wish(session)
    return views.RunView(
        live=live, rate_hz=held.rate_hz if held is not None and live else None, since=ws.since if live else None,
        dropouts=held.dropouts if held else 0, load=round(held.load, 3) if held else 0.0,
        block_ms=1000.0 * held.block_s if held else wish.block_ms or 10.0,
        block_held=wish.block_ms is not None,
        buffer_ms=1000.0 * held.seats[0].edge.waiting_s if held is not None and held.seats else wish.buffer_ms or 10.0,
        buffer_held=wish.buffer_ms is not None,
        block_costs=[(cost.block_ms, round(cost.share, 3)) for cost in ws.block_costs],
        priority_raised=bool(held and held.priority_raised),
        marker="sending" if held is not None and live and held.marker_in_flight else "idle",
        stopped_why=held.stopped_why if held else None, recording=recorder_held is not None, wanted=wish.live,
        when_stopped=_WHEN_STOPPED,
    )  # fmt: skip


def recorder(ws: Workshop, session: Session) -> views.RecorderView:
    """The recorder."""

    wish = scene.live_wish(session).tracks
    wanted = list(wish.get("tracks") or ["treated"])
    file_format = wish.get("format") or "flac"
    tracks = tracks_for(ws, session, wanted)
    run_held = ws.run
    rate = run_held.rate_hz if run_held is not None else 48_000
    room = room_left_min(ws.folder, tracks, rate, cast(Any, file_format))
    early = None
    if room < EARLY_MIN:
        early = f"The disk has room for {room:.0f} minutes of these tracks. Free some space, or choose fewer of them."
    held = ws.recorder
    return views.RecorderView(
        tracks=cast(Any, wanted), format=file_format, minutes=wish.get("minutes"), megabytes=wish.get("megabytes"), recording=held is not None,
        seconds=round(held.seconds, 1) if held else 0.0, safe_s=round(held.safe_s, 1) if held else 0.0, part=held.part if held else 0,
        files=[track.title for track in tracks], room_min=round(room, 1), early=early, failed=ws.recording_failed,
    )  # fmt: skip


def recordings(ws: Workshop, session: Session) -> list[views.RecordingView]:
    """The newest files first."""
    rows = session.scalars(select(Recording).where(Recording.discarded.is_(False)).order_by(Recording.id.desc()).limit(_MOST_RECORDINGS))
    return [
        views.RecordingView(
            id=r.id, title=r.title, session=r.session, track=r.track, part=r.part, file_name=r.file_name, seconds=round(r.frames / r.rate_hz, 1),
            channels=r.channels, loudness_lufs=None if r.loudness_lufs is None else round(r.loudness_lufs, 1),
            true_peak_dbtp=None if r.true_peak_dbtp is None else round(r.true_peak_dbtp, 1), waveform=r.waveform, at=r.at,
            open=ws.recorder is not None and r.frames == 0 and r.session == ws.recording_session, fault=r.fault,
        )
        for r in rows
    ]  # fmt: skip
