"""The whole state in one answer: what the page shows."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.derive.staleness import Basis, why_stale
from obsidian_wren.core.mix.verdict import judge
from obsidian_wren.service import kept, views
from obsidian_wren.service.destinations import listeners_of
from obsidian_wren.service.rigs import basis_of, knob_of, the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Derivation, Destination, Proof, Reading, Recording, Rig, Setting, Settled, Take

STEPS: tuple[tuple[views.StepName, str], ...] = (
    ("rig", "Rig"), ("quiet", "Quiet"), ("gain", "Gain"), ("tone", "Tone"), ("send", "Send"),
)  # fmt: skip


def overview(ws: Workshop) -> views.Overview:
    """Everything, read from what is kept; nothing is measured here."""
    if ws.take is not None:
        from obsidian_wren.service.taking import release_abandoned

        release_abandoned(ws)
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        takes = kept.current_takes(session, rig)
        advice = _advice(session, rig, takes)
        destinations = _destinations(ws, session, rig)
        return views.Overview(
            rig=_rig(ws, rig),
            steps=_steps(session, rig, takes),
            takes=_takes(session, rig, takes),
            halves=[_half(half) for half in take_files.list_halves(ws.folder, running=ws.take.part.id if ws.take else None)],
            progress=ws.take.view() if ws.take else None,
            quiet=_reading(session, takes.quiet, views.QuietView),
            talk=_reading(session, takes.talk, views.TalkView),
            advice=advice,
            settings=_settings(session, rig),
            tone=_derivation(session, rig, "tone", views.ToneView),
            delivery=_derivation(session, rig, "send", views.DeliveryView),
            diagram=_diagram(session, rig),
            inputs=kept.inputs_of(rig),
            destinations=destinations,
            run=_run(ws),
            recordings=_recordings(session),
            message=ws.message,
        )


def _rig(ws: Workshop, rig: Rig) -> views.RigView:
    fields = {name: getattr(rig, name) for name in views.RigFields.model_fields}
    if rig.source == "simulated":
        knob = knob_of(ws, rig)
        shown = views.KnobView(gain_db=knob.gain_db, low_db=knob.low_db, high_db=knob.high_db, step_db=knob.step_db)
    else:
        shown = views.KnobView(gain_db=rig.gain_db, low_db=None, high_db=None, step_db=None)
    return views.RigView(**fields, knob=shown)


def take_basis(take: Take) -> Basis:
    """What a take was made at."""
    return Basis(take.gain_db, take.distance_cm, take.angle_deg)


def _stale(take: Take, rig: Rig) -> str | None:
    return why_stale(take_basis(take), basis_of(rig))


def _steps(session: Session, rig: Rig, takes: kept.Takes) -> list[views.StepView]:
    settled = {row.step for row in session.scalars(select(Settled).where(Settled.rig_id == rig.id))}
    tone = session.get(Derivation, (rig.id, "tone"))
    chain = kept.chain_is_whole(session, rig)
    proof = session.scalars(select(Proof).order_by(Proof.id.desc())).first()
    why: dict[str, str | None] = {
        "quiet": _stale(takes.quiet, rig) if takes.quiet else None,
        "gain": _stale(takes.talk, rig) if takes.talk else None,
        "tone": _tone_stale(tone, takes, rig),
        "send": _proof_stale(session, proof),
    }
    there = {"rig": True, "quiet": takes.quiet, "gain": takes.talk, "tone": tone, "send": chain}
    steps = []
    for name, title in STEPS:
        status: views.Status = "settled" if name in settled else "open"
        if not there[name]:
            status = "not yet"
        elif why.get(name):
            status = "stale"
        steps.append(views.StepView(name=name, title=title, status=status, why=why.get(name)))
    return steps


def _tone_stale(tone: Derivation | None, takes: kept.Takes, rig: Rig) -> str | None:
    if tone is None or takes.passage is None:
        return None
    if tone.used.get("passage") != takes.passage.id:
        return "A newer passage was read since the fit."
    # A preamp moves voice and room alike: only a changed placement, or a new room, asks for another fit.
    here = basis_of(rig)
    moved = why_stale(Basis(here.gain_db, takes.passage.distance_cm, takes.passage.angle_deg), here)
    if moved:
        return moved
    return "The room was taken again since the fit." if tone.used.get("quiet") != (takes.quiet.id if takes.quiet else None) else None


def _proof_stale(session: Session, proof: Proof | None) -> str | None:
    if proof is None:
        return None
    destination = session.get_one(Destination, proof.destination)
    return f"{destination.name} picked another input since the marker was sent." if destination.picks != proof.picks else None


def _takes(session: Session, rig: Rig, takes: kept.Takes) -> list[views.TakeView]:
    current = {take.id for take in (takes.quiet, takes.talk, takes.passage) if take is not None}
    rows = session.scalars(select(Take).where(Take.rig_id == rig.id).order_by(Take.id))
    return [
        views.TakeView(
            id=t.id, purpose=cast(views.Purpose, t.purpose), seconds=round(t.frames / t.rate_hz, 1), rate_hz=t.rate_hz,
            taken_at=t.taken_at, source=cast(views.Source, t.source), half=t.half, fault=t.fault, notes=t.notes,
            current=t.id in current, stale=_stale(t, rig),
        )
        for t in rows
    ]  # fmt: skip


def _half(half: take_files.HalfTake) -> views.HalfView:
    info = half.info
    return views.HalfView(
        id=half.id, purpose=cast(views.Purpose, info.purpose), seconds=round(half.frames / info.rate_hz, 1), started_at=info.started_at
    )  # fmt: skip


def _reading(session: Session, take: Take | None, model: type[Any]) -> Any:
    row = session.get(Reading, take.id) if take is not None else None
    return model.model_validate(row.body) if row is not None else None


def _derivation(session: Session, rig: Rig, step: str, model: type[Any]) -> Any:
    row = session.get(Derivation, (rig.id, step))
    return model.model_validate(row.body) if row is not None else None


def _advice(session: Session, rig: Rig, takes: kept.Takes) -> views.AdviceView | None:
    row = session.get(Derivation, (rig.id, "gain"))
    if row is None:
        return None
    predicted, change = None, 0.0
    if takes.quiet and takes.talk and takes.quiet.gain_db != takes.talk.gain_db and takes.quiet.gain_db is not None:
        change = (takes.talk.gain_db or 0.0) - takes.quiet.gain_db
        predicted = (
            f"The room was taken at {takes.quiet.gain_db:g} dB gain; its level is moved by {change:+g} dB here, "
            "a prediction until you take it again."
        )
    return views.AdviceView(**{**row.body, "quiet_predicted": predicted, "quiet_shift_db": change})


def _settings(session: Session, rig: Rig) -> list[views.SettingView]:
    rows = session.scalars(select(Setting).where(Setting.rig_id == rig.id)).all()

    def place(row: Setting) -> tuple[float, ...]:
        return STAGE_KINDS.index(row.stage), row.value["frequency_hz"] if row.stage == "equalizer" else 0.0, row.id

    return [_setting(row) for row in sorted(rows, key=place)]


def _setting(row: Setting) -> views.SettingView:
    is_band = row.stage == "equalizer"
    return views.SettingView(
        stage=row.stage, name=row.name, title=kept.setting_title(row), unit=row.unit, pinned=row.pinned, because=row.because,
        value=None if is_band else row.value, derived=None if is_band else row.derived,
        band=views.BandValue.model_construct(**row.value) if is_band else None,
        derived_band=views.BandValue.model_construct(**row.derived) if is_band else None,
    )  # fmt: skip


def _diagram(session: Session, rig: Rig) -> list[views.DiagramPointView]:
    """The kept points, then what each destination gets by what it picked."""
    row = session.get(Derivation, (rig.id, "diagram"))
    if row is None:
        return []
    points = [views.DiagramPointView(**point) for point in row.body["points"]]
    by_name = {point.name: point for point in points}
    shown = [point for point in points if point.name != "feed"]
    kinds = {entry.name: entry.kind for entry in kept.inputs_of(rig)}
    for destination in session.scalars(select(Destination).order_by(Destination.kind)):
        kind = kinds.get(destination.picks or "")
        heard = by_name.get("converter") if kind == "raw" else by_name.get("feed") if kind == "treated" else None
        if heard is not None and "feed" in by_name:
            note = "raw" if kind == "raw" else None
            shown.append(heard.model_copy(update={"name": f"to:{destination.name}", "title": destination.name, "note": note}))
    return shown


def _destinations(ws: Workshop, session: Session, rig: Rig) -> list[views.DestinationView]:
    held = listeners_of(ws, session)
    session.flush()
    delivery = session.get(Derivation, (rig.id, "send"))
    kinds = {entry.name: entry.kind for entry in kept.inputs_of(rig)}
    found = []
    for listener in (held.call, held.recorder):
        kind = kinds.get(listener.picks or "")
        lufs = None
        if delivery is not None and kind is not None:
            lufs = delivery.body["raw_lufs"] if kind == "raw" else delivery.body["planned_lufs"]
        proof = session.scalars(select(Proof).where(Proof.destination == listener.name).order_by(Proof.id.desc())).first()
        found.append(
            views.DestinationView(
                name=listener.name,
                kind=cast(Any, listener.kind),
                picks=listener.picks,
                rate_hz=listener.rate_hz,
                voice_lufs=lufs,
                proof=None if proof is None else _proof(proof, listener.picks),
            )
        )
    return found


def _proof(proof: Proof, picks: str | None) -> views.ProofView:
    arrival = cast(Any, proof.arrival)
    verdict = judge(arrival, delay_ms=proof.delay_ms, listener=proof.destination, feed_name=kept.FEED_NAME)
    return views.ProofView(
        arrival=arrival, good=verdict.good, sentence=verdict.sentence, advice=verdict.advice, delay_ms=proof.delay_ms,
        level_db=proof.level_db, loudness_lufs=proof.loudness_lufs, at=proof.at, stale=picks != proof.picks,
    )  # fmt: skip


def _run(ws: Workshop) -> views.RunView:
    run = ws.run
    held = ws.listeners
    live = run is not None and not run.finished.is_set()
    return views.RunView(
        live=live,
        since=held.since if held and live else None,
        dropouts=run.dropouts if run else 0,
        marker="sending" if run is not None and live and run.marker_in_flight else "idle",
        stopped_why=run.stopped_why if run else None,
        recording=bool(held and held.recording_file),
    )


def _recordings(session: Session) -> list[views.RecordingView]:
    rows = session.scalars(select(Recording).order_by(Recording.id.desc()).limit(20))
    return [
        views.RecordingView(
            id=r.id, file_name=r.file_name, seconds=round(r.frames / r.rate_hz, 1),
            loudness_lufs=None if r.loudness_lufs is None else round(r.loudness_lufs, 1),
            true_peak_dbtp=None if r.true_peak_dbtp is None else round(r.true_peak_dbtp, 1), at=r.at,
        )
        for r in rows
    ]  # fmt: skip
