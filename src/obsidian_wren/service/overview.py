"""The whole state in one answer: what the page shows."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from typing import Any, TypeVar, cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.chain.parameters import PARAMETERS, TITLES, parameter
from obsidian_wren.core.derive.audit import SoundDevice, audit, device_key
from obsidian_wren.core.derive.expectation import outlook
from obsidian_wren.core.derive.graph import Value
from obsidian_wren.service import facts, history, kept, mix_basis, send_overview, views
from obsidian_wren.service.computers import devices_of
from obsidian_wren.service.once import begin_reading
from obsidian_wren.service.rigs import fields_of, knob_of, the_rig
from obsidian_wren.service.send_views import InputView
from obsidian_wren.service.workshop import Finding, Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.models import (
    Change,
    Computer,
    Derivation,
    Destination,
    Interface,
    KnownDevice,
    Microphone,
    Proof,
    Reading,
    Response,
    Rig,
    Room,
    Setting,
    Settled,
    StageRow,
    Take,
    Taper,
    Target,
)

_LOG = logging.getLogger(__name__)
STEPS: tuple[tuple[views.StepName, str], ...] = (
    ("rig", "Rig"), ("quiet", "Quiet"), ("gain", "Gain"), ("clean", "Clean"), ("tone", "Tone"), ("steady", "Steady"),
    ("send", "Send"),
)  # fmt: skip


def overview(ws: Workshop) -> views.Overview:
    """Everything, read from what is kept; nothing is measured here."""
    # Before anything is read: what changes meanwhile makes this old.
    revision = ws.revision
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        begin_reading(session)
        parts = _Parts()
        # Held here: either may end while the state is read.
        running, watch = ws.take, ws.watch
        takes = kept.current_takes(session, rig)
        # A session forgets rows that nobody holds; these are asked for again and again below.
        held = [session.scalars(select(table).where(table.rig_id == rig.id)).all() for table in (Derivation, Setting, StageRow)]
        held += [session.scalars(select(table)).all() for table in (Computer, KnownDevice, Taper, Destination)]
        present = facts.sources_now(ws, session, rig, takes)
        stale = {node: facts.stale_answer(session, rig, node, present) for node in facts.STEP_OF}
        shown = views.Overview(
            revision=revision,
            rig=_rig(ws, rig),
            rigs=[_rig_name(row) for row in session.scalars(select(Rig).order_by(Rig.id))],
            microphones=[_microphone(session, row) for row in session.scalars(select(Microphone).order_by(Microphone.id))],
            interfaces=[
                views.InterfaceView(**fields_of(row, views.InterfaceView))
                for row in session.scalars(select(Interface).order_by(Interface.id))
            ],
            rooms=[views.RoomView(**fields_of(row, views.RoomView)) for row in session.scalars(select(Room).order_by(Room.id))],
            controls=parts.read("the gain controls", lambda: _controls(ws, session, rig), []),
            outlook=_outlook(rig),
            computer=_computer(ws, session, rig),
            undo=_change(history.next_undo(session)),
            redo=_change(history.next_redo(session)),
            steps=_steps(session, rig, takes, present, stale),
            derivable=_derivable(facts.derivable_answers(session, rig, present)),
            takes=parts.read("the takes", lambda: _takes(session, rig, takes, present), []),
            halves=parts.read("the half takes", lambda: _halves(ws, running.part.id if running else None), []),
            progress=running.view() if running else None,
            watch=views.WatchView(on=watch is not None and not watch.finished.is_set(), purpose=watch.purpose if watch else None),
            quiet=parts.read("the reading of the room", lambda: _reading(session, takes.quiet, views.QuietView), None),
            in_use=parts.read("the reading of the room in use", lambda: _reading(session, takes.of("in-use"), views.QuietView), None),
            split=parts.read(
                "the parts of the floor", lambda: _derivation(session, rig, "split", views.SplitView, stale=stale["split"]), None
            ),
            causes=parts.read("the causes", lambda: _derivation(session, rig, "causes", views.CausesView, stale=stale["causes"]), None),
            talk=parts.read("the reading of normal talk", lambda: _reading(session, takes.talk, views.TalkView), None),
            loud=parts.read("the reading of loud talk", lambda: _reading(session, takes.of("loud"), views.TalkView), None),
            soft=parts.read("the reading of soft talk", lambda: _reading(session, takes.of("soft"), views.TalkView), None),
            voice_causes=parts.read("the causes in the voice", lambda: _voice_causes(session, rig), []),
            gain_plan=parts.read(
                "the gain plan", lambda: _derivation(session, rig, "gain", views.GainPlanView, stale=stale["gain-plan"]), None
            ),
            predictions=parts.read("the predictions", lambda: _predictions(ws, session, rig, takes), {}),
            stages=parts.read("the stages", lambda: _stages(session, rig), []),
            settings=parts.read("the settings", lambda: _settings(session, rig), []),
            wishes=parts.read("your wishes", lambda: views.WishesBody.model_validate(rig.wishes), views.WishesBody()),
            targets=parts.read(
                "the targets",
                lambda: [views.TargetName(id=row.id, name=row.name) for row in session.scalars(select(Target).order_by(Target.id))],
                [],
            ),
            clean=parts.read("the cleaning", lambda: _derivation(session, rig, "clean", views.CleanView, stale=stale["cleaning"]), None),
            tone=parts.read("the tone", lambda: _derivation(session, rig, "tone", views.ToneView), None),
            delivery=parts.read(
                "the voice chain", lambda: _derivation(session, rig, "send", views.DeliveryView, stale=stale["delivery"]), None
            ),
            diagram=parts.read("the level diagram", lambda: _diagram(ws, session, rig, takes, stale["diagram"]), []),
            inputs=parts.read("the inputs", lambda: kept.inputs_of(ws, session, rig), []),
            sources=parts.read("the sources", lambda: send_overview.sources(ws, session, rig), []),
            destinations=parts.read("the listeners", lambda: send_overview.destinations(ws, session, rig), []),
            cases=send_overview.cases(session),
            returns=parts.read("the returns", lambda: send_overview.returns(ws, session), []),
            clips=parts.read("the clips", lambda: send_overview.clips(ws, session), []),
            ducking=parts.read("the ducking", lambda: send_overview.ducking(session, rig), None),
            cut=parts.read("the mixes", lambda: list(mix_basis.mixes_body(session, rig)["cut"]), []),
            mixes_stale=parts.read("the state of the mixes", lambda: _mixes_stale(ws, session, rig, takes), True),
            run=send_overview.run(ws, session),
            recorder=send_overview.recorder(ws, session),
            recordings=parts.read("the recordings", lambda: send_overview.recordings(ws, session), []),
            message=ws.message,
            findings=[views.FindingView(**asdict(found)) for found in (*ws.findings, *parts.findings)],
        )
        del held
        return shown


Part = TypeVar("Part")


class _Parts:
    """Parts of the state, each read by itself: one that cannot be read is told and shown as unknown, and the others are there."""

    def __init__(self) -> None:
        self.findings: list[Finding] = []

    def read(self, title: str, part: Callable[[], Part], unknown: Any) -> Part:
        """The part, or what stands for it where what is kept of it makes no sense."""
        try:
            return part()
        except (ValueError, LookupError, TypeError, AttributeError):
            _LOG.exception("A part of the state cannot be read")
            self.findings.append(
                Finding(
                    "unreadable-part",
                    f"What is kept of {title} cannot be read, so it is shown as unknown.",
                    "Derive again. If that does not help, run “obsidian-wren doctor --repair”.",
                )
            )
            return cast("Part", unknown)


def _rig(ws: Workshop, rig: Rig) -> views.RigView:
    names = ws.world.things_of(rig.spec_json) if rig.source == "simulated" else ()
    return views.RigView(
        **fields_of(rig, views.RigFields), id=rig.id, absolute_gain=facts.has_absolute_gain(rig),
        things=[views.ThingView(name=name, on=name not in rig.things_off) for name in names],
    )  # fmt: skip


def _rig_name(rig: Rig) -> views.RigName:
    made_of = f"{rig.microphone.name} through {rig.interface.name}, {rig.room.name}"
    return views.RigName(id=rig.id, name=rig.name, made_of=made_of)


def _microphone(session: Session, row: Microphone) -> views.MicrophoneView:
    response = session.get(Response, row.response_id) if row.response_id is not None else None
    return views.MicrophoneView(
        **fields_of(row, views.MicrophoneFields), id=row.id, response_name=response.name if response else None,
        response_points=[r[:2] for r in response.rows] if response else [],
    )  # fmt: skip


def _controls(ws: Workshop, session: Session, rig: Rig) -> list[views.ControlView]:
    """The gain controls in signal order. What was learned of them is kept in rows, so nothing is computed here."""
    interface = rig.interface
    device = facts.rig_device(ws, session, rig)
    found: list[views.ControlView] = []

    def add(
        key: views.Control,
        title: str,
        unit: Any,
        *,
        analogue: bool,
        position: float | None,
        low: float | None,
        high: float | None,
        step: float,
    ) -> None:
        taper = facts.taper_row(session, rig, key)
        body = taper.body if taper is not None else None
        learned = [list(row) for row in zip(body["positions"], body["gains_db"], body["errors_db"], strict=True)] if body else []
        slope = (learned[-1][1] - learned[0][1]) / (learned[-1][0] - learned[0][0]) if learned else None
        found.append(
            views.ControlView(
                key=key, title=title, unit=unit, analogue=analogue, position=position, low=low, high=high, step=step,
                spoken=_spoken(position, unit), db_per_unit=slope, error_db=max(row[2] for row in learned) if learned else None, learned=learned,
            )
        )  # fmt: skip

    if interface.pad_db is not None:
        add("pad", f"Pad, {interface.pad_db:g} dB", "switch", analogue=True, position=float(rig.pad_on), low=0.0, high=1.0, step=1.0)
    if interface.knob == "dial":
        add(
            "preamp",
            "Preamp",
            "dial",
            analogue=True,
            position=rig.dial,
            low=interface.dial_low,
            high=interface.dial_high,
            step=interface.dial_step,
        )
    elif rig.source == "simulated":
        knob = knob_of(ws, rig)
        add("preamp", "Preamp", "dB", analogue=True, position=knob.gain_db, low=knob.low_db, high=knob.high_db, step=knob.step_db)
    else:
        title = "Preamp" if interface.gain_low_db is not None else "Preamp, turned so far"
        low, high = interface.gain_low_db, interface.gain_high_db
        add("preamp", title, "dB", analogue=True, position=rig.gain_db, low=low, high=high, step=interface.gain_step_db)
    add("trim", "Device output", "dB", analogue=False, position=rig.trim_db, low=-60.0, high=24.0, step=0.5)
    slider = None if device is None else device.slider_percent
    add("slider", "Input slider", "%", analogue=False, position=slider, low=0.0, high=100.0, step=5.0)
    add("program", "Program trim", "dB", analogue=False, position=rig.program_db, low=-60.0, high=24.0, step=0.5)
    return found


def _spoken(position: float | None, unit: str) -> str:
    if position is None:
        return "unknown"
    if unit == "switch":
        return "in" if position else "out"
    if unit == "%":
        return f"{position:g} %"
    if unit == "dB":
        return f"{position:g} dB"
    whole, part = int(position // 1), round(position % 1.0, 2)
    mark = {0.0: "", 0.25: "¼", 0.5: "½", 0.75: "¾"}.get(part)
    return f"{position:.1f}" if mark is None else f"{whole or '' if mark else whole}{mark}"


def _outlook(rig: Rig) -> views.OutlookView:
    gain = rig.gain_db if facts.has_absolute_gain(rig) else None
    found = outlook(
        facts.microphone_of(rig), facts.interface_of(rig), facts.room_of(rig), facts.placement_of(rig),
        gain_db=gain, phantom_on=rig.phantom_on, pad_on=rig.pad_on,
    )  # fmt: skip
    return views.OutlookView.model_validate(asdict(found))


def _computer(ws: Workshop, session: Session, rig: Rig) -> views.ComputerView:
    devices = devices_of(ws, session)
    device = next((d for d in devices if d.present and device_key(d) == rig.device_key), None)
    found = audit(
        devices, rig_device_id=device.id if device else None, rate_hz=rig.rate_hz, bits=min(rig.bits, 24),
        direct_monitoring=bool(rig.interface.direct_monitoring), monitors_itself=False,
    )  # fmt: skip
    findings = [
        views.AuditView(
            code=f.code, harm=f.harm, title=f.title, sentence=f.sentence, action=f.action, device_id=f.change.device_id if f.change else None,
            field=f.change.field if f.change else None, value=f.change.value if f.change else None,
        )
        for f in found
    ]  # fmt: skip
    return views.ComputerView(devices=[_device(session, d, rig) for d in devices], findings=findings)


def _device(session: Session, device: SoundDevice, rig: Rig) -> views.DeviceView:
    key = device_key(device)
    known = session.get(KnownDevice, key)
    body = {name: value for name, value in asdict(device).items() if name in views.DeviceView.model_fields}
    known_as = str(known.body["system_name"]) if known is not None else None
    return views.DeviceView(**body, key=key, of_rig=key == rig.device_key, known_as=known_as)


def _change(row: Change | None) -> views.ChangeView | None:
    return None if row is None else views.ChangeView(title=row.title, at=row.at)


def _steps(
    session: Session, rig: Rig, takes: kept.Takes, present: Mapping[str, Value], stale: Mapping[str, str | None]
) -> list[views.StepView]:
    settled = {row.step for row in session.scalars(select(Settled).where(Settled.rig_id == rig.id))}
    tone = session.get(Derivation, (rig.id, "tone"))
    proof = session.scalars(select(Proof).order_by(Proof.id.desc())).first()
    why: dict[str, str | None] = {
        "quiet": facts.stale_take(takes.quiet, present) if takes.quiet else None,
        "gain": facts.stale_take(takes.talk, present) if takes.talk else None,
        "clean": stale["cleaning"],
        "tone": stale["equalizer"],
        "steady": stale["delivery"],
        "send": _proof_stale(session, proof),
    }
    whole = kept.chain_is_whole(session, rig)
    clean = session.get(Derivation, (rig.id, "clean"))
    there = {"rig": True, "quiet": takes.quiet, "gain": takes.talk, "clean": clean, "tone": tone, "steady": whole, "send": whole}
    steps = []
    for name, title in STEPS:
        status: views.Status = "settled" if name in settled else "open"
        if not there[name]:
            status = "not yet"
        elif why.get(name):
            status = "stale"
        steps.append(views.StepView(name=name, title=title, status=status, why=why.get(name)))
    return steps


_ANSWERS = {
    "split": "the parts of the floor", "causes": "the causes", "gain-plan": "the gain plan", "cleaning": "the cleaning",
    "equalizer": "the tone", "delivery": "the voice chain", "diagram": "the level diagram",
}  # fmt: skip


def _derivable(nodes: Sequence[str]) -> str | None:
    """Which answers one press would derive anew, None when all stand."""
    names = [_ANSWERS[node] for node in nodes]
    if not names:
        return None
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def _proof_stale(session: Session, proof: Proof | None) -> str | None:
    if proof is None:
        return None
    for destination in session.scalars(select(Destination).where(Destination.on.is_(True)).order_by(Destination.place)):
        newest = session.scalars(select(Proof).where(Proof.destination == destination.key).order_by(Proof.id.desc())).first()
        if newest is not None and newest.picks != destination.picks:
            return f"{destination.name} picked another input since the marker was sent."
    return None


def _takes(session: Session, rig: Rig, takes: kept.Takes, present: Mapping[str, Value]) -> list[views.TakeView]:
    current = {take.id for take in takes.by_purpose.values() if take is not None}
    rows = session.scalars(select(Take).where(Take.rig_id == rig.id, Take.discarded.is_(False)).order_by(Take.id))
    return [
        views.TakeView(
            id=t.id, purpose=cast(views.Purpose, t.purpose), seconds=round(t.frames / t.rate_hz, 1), rate_hz=t.rate_hz,
            taken_at=t.taken_at, source=cast(views.Source, t.source), half=t.half, fault=t.fault, notes=t.notes,
            current=t.id in current, stale=facts.stale_take(t, present), ended=t.ended, position=_position(t),
        )
        for t in rows
    ]  # fmt: skip


def _position(take: Take) -> float | None:
    if take.purpose == "other-gain":
        return take.gain_db
    if take.purpose != "dial":
        return None
    position = take.facts.get("slider" if take.facts.get("learns") == "slider" else "dial")
    return None if position is None else float(position)


def _predictions(ws: Workshop, session: Session, rig: Rig, takes: kept.Takes) -> dict[str, views.PredictionView]:
    """What physics says of takes that do not hold any more, by purpose; none where nothing can be said."""
    now = facts.facts_of(ws, session, rig)
    found = {}
    for purpose in ("rest", "in-use", "talk", "loud", "soft"):
        take = takes.of(purpose)
        if take is None:
            continue
        shift = facts.shift_since(take, now, rig)
        if shift.because:
            found[purpose] = views.PredictionView(**asdict(shift))
    return found


def _voice_causes(session: Session, rig: Rig) -> list[views.CauseView]:
    row = session.get(Derivation, (rig.id, "voice-causes"))
    return [] if row is None else [views.CauseView(**cause) for cause in row.body["causes"]]


def _halves(ws: Workshop, running: str | None) -> list[views.HalfView]:
    return [_half(half) for half in take_files.list_halves(ws.folder, running=running) if half.info.purpose in kept.PURPOSES]


def _half(half: take_files.HalfTake) -> views.HalfView:
    info = half.info
    return views.HalfView(
        id=half.id, purpose=cast(views.Purpose, info.purpose), seconds=round(half.frames / info.rate_hz, 1), started_at=info.started_at
    )  # fmt: skip


def _reading(session: Session, take: Take | None, model: type[Any]) -> Any:
    row = session.get(Reading, take.id) if take is not None else None
    return model.model_validate(row.body) if row is not None else None


def _derivation(session: Session, rig: Rig, step: str, model: type[Any], **more: Any) -> Any:
    row = session.get(Derivation, (rig.id, step))
    return model.model_validate({**row.body, **more}) if row is not None else None


_STEP_OF_STAGE = {
    "noise_reduction": "clean", "ring_reduction": "clean", "gate": "clean", "highpass": "tone", "deplosive": "tone", "equalizer": "tone",
    "lowpass": "tone", "deesser": "tone", "leveller": "steady", "compressor": "steady", "colour": "steady", "gain": "steady",
    "limiter": "steady",
}  # fmt: skip


def _order(rig: Rig) -> list[str]:
    return list(rig.stage_order or STAGE_KINDS)


def _stages(session: Session, rig: Rig) -> list[views.StageView]:
    rows = kept.stage_rows(session, rig)
    return [
        views.StageView(
            kind=kind, title=TITLES[kind], step=cast(Any, _STEP_OF_STAGE[kind]), on=rows[kind].runs, derived_on=rows[kind].derived,
            pinned=rows[kind].pinned, because=rows[kind].because,
        )
        for kind in _order(rig) if kind in rows
    ]  # fmt: skip


def _settings(session: Session, rig: Rig) -> list[views.SettingView]:
    rows = session.scalars(select(Setting).where(Setting.rig_id == rig.id)).all()
    places = {(kind, p.name): at for kind in STAGE_KINDS for at, p in enumerate(PARAMETERS[kind])}
    order = _order(rig)

    def place(row: Setting) -> tuple[float, ...]:
        return order.index(row.stage), row.value["frequency_hz"] if row.stage == "equalizer" else places[row.stage, row.name], row.id

    tone = session.get(Derivation, (rig.id, "tone"))
    sure = iter(tone.body.get("sure_db", []) if tone is not None else [])
    return [_setting(row, next(sure, None) if row.stage == "equalizer" else None) for row in sorted(rows, key=place)]


def _setting(row: Setting, sure_db: float | None) -> views.SettingView:
    is_band = row.stage == "equalizer"
    known = None if is_band else parameter(row.stage, row.name)
    return views.SettingView(
        stage=row.stage, name=row.name, title=kept.setting_title(row), unit=row.unit, pinned=row.pinned, because=row.because,
        value=None if is_band else row.value, derived=None if is_band else row.derived,
        low=known.low if known else None, high=known.high if known else None, step=known.step if known else None,
        digits=known.digits if known else 1, sure_db=sure_db,
        band=views.BandValue.model_construct(**row.value) if is_band else None,
        derived_band=views.BandValue.model_construct(**row.derived) if is_band else None,
    )  # fmt: skip


def _diagram(ws: Workshop, session: Session, rig: Rig, takes: kept.Takes, stale: str | None) -> list[views.DiagramPointView]:
    """The kept points, then what each destination gets by what it picked. Where a knob was turned since, moved by what physics says."""
    row = session.get(Derivation, (rig.id, "diagram"))
    if row is None:
        return []
    points = [views.DiagramPointView(**point) for point in row.body["points"]]
    predicted = row.body.get("predicted") is not None
    if stale:
        points = [_predicted_point(ws, session, rig, takes, point) for point in points]
    elif predicted:
        points = [point.model_copy(update={"predicted": True}) for point in points]
    by_name = {point.name: point for point in points}
    shown = list(points)
    inputs = {entry.name: entry for entry in kept.inputs_of(ws, session, rig)}
    mixes = mix_basis.mixes_body(session, rig)["listeners"]
    for destination in session.scalars(select(Destination).where(Destination.on.is_(True)).order_by(Destination.place)):
        heard = _heard(destination, inputs, mixes, by_name)
        if heard is not None:
            shown.append(heard)
    return shown


def _heard(
    destination: Destination, inputs: Mapping[str, InputView], mixes: Mapping[str, Any], points: Mapping[str, views.DiagramPointView]
) -> views.DiagramPointView | None:
    """What a listener gets of the voice: the converter's where it picked the device, else the steadied one as its mix carries it."""
    title = {"name": f"to:{destination.key}", "title": destination.name}
    steadied, converter = points.get("steadied"), points.get("converter")
    if steadied is None:
        return None
    picked = inputs.get(destination.picks or "")
    if picked is not None and picked.kind == "raw":
        return converter.model_copy(update={**title, "note": "raw"}) if converter is not None else None
    entry = mixes.get((picked.of if picked is not None else None) or destination.key)
    if entry is None or entry["voice_gain_db"] is None:
        return None
    gain = float(entry["voice_gain_db"])

    def moved(level: float | None) -> float | None:
        return None if level is None else round(level + gain, 2)

    peak = moved(steadied.peak_dbfs)
    return steadied.model_copy(
        update={
            **title, "note": None, "voice_low_dbfs": moved(steadied.voice_low_dbfs), "voice_high_dbfs": moved(steadied.voice_high_dbfs),
            "room_dbfs": moved(steadied.room_dbfs), "peak_dbfs": None if peak is None else min(peak, entry["ceiling_dbtp"]),
        }
    )  # fmt: skip


def _mixes_stale(ws: Workshop, session: Session, rig: Rig, takes: kept.Takes) -> bool:
    """Whether the mixes have to be derived anew, or for the first time."""
    if session.get(Derivation, (rig.id, mix_basis.STEP)) is None:
        return kept.chain_is_whole(session, rig) and takes.voice is not None
    return mix_basis.stale(ws, session, rig, takes)


def _predicted_point(ws: Workshop, session: Session, rig: Rig, takes: kept.Takes, point: views.DiagramPointView) -> views.DiagramPointView:
    now = facts.facts_of(ws, session, rig)
    ground = takes.voice
    voice = facts.shift_since(ground, now, rig).voice_db if ground is not None else 0.0
    room = facts.shift_since(takes.quiet, now, rig).room_db if takes.quiet is not None else 0.0
    if point.name == "mic" and ground is not None:
        # The knob comes after the microphone: only a changed distance moves what stands before it.
        voice -= facts.shift_since(ground, now, rig).room_db
        room = 0.0
    if not voice and not room:
        return point

    def moved(level: float | None, by: float) -> float | None:
        return None if level is None else min(0.0, round(level + by, 2))

    return point.model_copy(
        update={
            "voice_low_dbfs": moved(point.voice_low_dbfs, voice), "voice_high_dbfs": moved(point.voice_high_dbfs, voice),
            "peak_dbfs": moved(point.peak_dbfs, voice), "room_dbfs": moved(point.room_dbfs, room), "predicted": True,
        }
    )  # fmt: skip
