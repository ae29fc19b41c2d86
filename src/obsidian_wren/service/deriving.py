"""From readings to answers: each node of the dependency graph derived, kept with what it stood on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.engine import VoiceChain, render
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.causes import STEADY_SPREAD_DB, find_causes, is_quiet_enough
from obsidian_wren.core.derive.delivery import LOUDNESS_TOLERANCE_LU, RELEASE_S, Delivery, derive_delivery
from obsidian_wren.core.derive.dial import DialTake, Taper, learn, spoken, steady_level
from obsidian_wren.core.derive.expectation import dbfs_of_spl, spl_of_dbfs
from obsidian_wren.core.derive.floor_split import FloorSplit, FloorTake, split_floor
from obsidian_wren.core.derive.gain_plan import GainPlan, GainStage, plan_gain
from obsidian_wren.core.derive.highpass import HighpassRule, derive_highpass
from obsidian_wren.core.derive.path_levels import PathPoint, levels_after, levels_here, shifted, sound_pressure_db_spl
from obsidian_wren.core.derive.plan import tone_chain
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.derive.setting import Setting as DerivedSetting
from obsidian_wren.core.derive.tone import Tone, derive_tone, judge_tone
from obsidian_wren.core.derive.voice_causes import find_voice_causes
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.steadiness import frames_of
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.formats.plain import plain
from obsidian_wren.formats.response import response_at
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import (
    STEP_OF,
    facts_of,
    gain_shift_db,
    has_absolute_gain,
    interface_of,
    microphone_of,
    rig_device,
    sources_now,
    stale_answer,
    taper_row,
    used_by,
)
from obsidian_wren.service.kept import Takes, band_rows, current_takes, setting_row
from obsidian_wren.service.measuring import quiet_reading, room_shift_db, samples_of, talk_reading
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Reading, Response, Rig, Setting, Take
from obsidian_wren.store.models import Taper as TaperRow

_FAR_CM = 40.0


def derive_after_take(ws: Workshop, session: Session, rig: Rig, take: Take) -> None:
    """What a new take gives. A new passage is fitted at once; a new quiet take leaves the fit stale."""
    takes = current_takes(session, rig)
    if take.purpose == "dial":
        _learn(ws, session, rig, take)
    derive_levels(ws, session, rig)
    if take.purpose == "passage":
        fit(ws, session, rig, takes)
    deliver(ws, session, rig, takes)
    draw(ws, session, rig, takes)


def derive_after_change(ws: Workshop, session: Session, rig: Rig) -> None:
    """What a person's change of pins or takes gives: evidence, delivery and diagram anew."""
    takes = current_takes(session, rig)
    derive_levels(ws, session, rig)
    if session.get(Derivation, (rig.id, "tone")) is not None and takes.passage is not None and takes.quiet is not None:
        judge(ws, session, rig, takes)
    deliver(ws, session, rig, takes)
    draw(ws, session, rig, takes)


def derive_levels(ws: Workshop, session: Session, rig: Rig) -> None:
    """The parts of the floor, its causes, the noise profile and the gain plan."""
    takes = current_takes(session, rig)
    split = _split(ws, session, rig, takes)
    plan = _plan(ws, session, rig, takes, split)
    _causes(ws, session, rig, takes, split, plan)


def derive_again(ws: Workshop, *, refit: bool = False) -> None:
    """One press: everything that the takes at hand can give, where it stands, is derived anew. Pins stay.

    Where only gain was turned since a take, its levels are moved by physics, and what follows is marked as predicted.
    """
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        derive_levels(ws, session, rig)
        if takes.quiet is not None and takes.passage is not None:
            present = sources_now(ws, session, rig, takes)
            if refit or session.get(Derivation, (rig.id, "tone")) is None or stale_answer(session, rig, "equalizer", present):
                fit(ws, session, rig, takes)
        deliver(ws, session, rig, takes)
        draw(ws, session, rig, takes)
    ws.changed()


def _keep_answer(ws: Workshop, session: Session, rig: Rig, takes: Takes, node: str, body: dict[str, Any], *, moved: bool = False) -> None:
    used = used_by(ws, session, rig, takes, node, moved=moved)
    session.merge(Derivation(rig_id=rig.id, step=STEP_OF[node], body=body, used=used))
    session.flush()


def _split(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> FloorSplit | None:
    rest, muted, other = takes.quiet, takes.of("muted"), takes.of("other-gain")
    if rest is None or rest.gain_db is None:
        return None

    def floor(take: Take | None) -> FloorTake | None:
        gain = take.gain_db if take is not None else None
        return None if take is None or gain is None else FloorTake(quiet_reading(ws, take).third_octaves, gain)

    own = None
    if rig.microphone.self_noise_dba is not None and has_absolute_gain(rig):
        own = dbfs_of_spl(
            rig.microphone.self_noise_dba, microphone_of(rig), interface_of(rig), rest.gain_db, pad_on=bool(rest.facts.get("pad_on"))
        )
    split = split_floor(
        FloorTake(quiet_reading(ws, rest).third_octaves, rest.gain_db), muted=floor(muted), other=floor(other), microphone_dbfs_a=own
    )
    row = session.get(Derivation, (rig.id, "split"))
    if split is None:
        if row is not None:
            session.delete(row)
        return None
    moved, predicted = _moved(ws, session, rig, rest)
    now_split = split.at_gain(moved)
    _keep_answer(ws, session, rig, takes, "split", plain(now_split) | {"predicted": predicted}, moved=predicted is not None)
    return now_split


def _causes(ws: Workshop, session: Session, rig: Rig, takes: Takes, split: FloorSplit | None, plan: GainPlan | None) -> None:
    talk = None if takes.talk is None else talk_reading(ws, takes.talk, takes.quiet, rig)
    if takes.quiet is not None:
        rest = quiet_reading(ws, takes.quiet)
        used = takes.of("in-use")
        over = None if talk is None else talk.snr_db
        found = find_causes(
            rest,
            in_use=None if used is None else quiet_reading(ws, used),
            split=split,
            voice_over_room_db=over,
            channels=_channels(takes.quiet),
        )
        body = {"causes": plain(found), "enough": is_quiet_enough(rest, over), "steady": rest.spread_db < STEADY_SPREAD_DB}
        # More gain lifts every cause alike, so their order stands.
        moved = _moved(ws, session, rig, takes.quiet)[1] is not None
        _keep_answer(ws, session, rig, takes, "causes", body, moved=moved)
        profile = noise_profile(samples_of(ws, takes.quiet), rate_hz=takes.quiet.rate_hz)
        if profile is not None:
            session.merge(
                Derivation(rig_id=rig.id, step="noise-profile", body=plain(profile), used=used_by(ws, session, rig, takes, "profile"))
            )
    if talk is not None:
        loud = takes.of("loud")
        voice = find_voice_causes(
            talk, loud=None if loud is None else talk_reading(ws, loud, takes.quiet, rig), plan=plan, distance_cm=rig.distance_cm
        )
        session.merge(Derivation(rig_id=rig.id, step="voice-causes", body={"causes": plain(voice)}, used={}))


def _channels(take: Take) -> Channels | None:
    body = take.channels
    return (
        None if body is None else Channels(body["verdict"], tuple(-200.0 if v is None else v for v in body["levels_dbfs"]), body["loudest"])
    )


def taper_of(row: TaperRow) -> Taper:
    """A learned taper from its row."""
    return Taper(*(tuple(row.body[name]) for name in ("positions", "gains_db", "errors_db")))


def _learn(ws: Workshop, session: Session, rig: Rig, newest: Take) -> None:
    """Learn the control that the newest dial take was for, from all its takes with this interface."""
    control = str(newest.facts["learns"])
    position = "slider" if control == "slider" else "dial"
    rows = session.scalars(
        select(Take).where(Take.rig_id == rig.id, Take.purpose == "dial", Take.fault.is_(None), Take.discarded.is_(False)).order_by(Take.id)
    )
    takes = []
    for row in rows:
        if row.facts.get("learns") != control or row.facts.get("interface") != rig.interface.name:
            continue
        power, _ = frames_of(samples_of(ws, row), rate_hz=row.rate_hz)
        level, error = steady_level(power)
        takes.append(DialTake(float(row.facts[position]), level, error))
    if len({take.position for take in takes}) < 2:
        return
    try:
        taper = learn(takes)
    except ValueError as error:
        newest.fault = str(error)
        session.flush()
        return
    session.merge(TaperRow(interface_id=rig.interface_id, control=control, body=plain(taper)))
    session.flush()


def stages_of(ws: Workshop, session: Session, rig: Rig) -> tuple[GainStage, ...]:
    """Every place where gain can be turned, in signal order, as it stands."""
    interface = rig.interface
    device = rig_device(ws, session, rig)
    dial_row, slider_row = taper_row(session, rig, "preamp"), taper_row(session, rig, "slider")
    stages: list[GainStage] = []
    if interface.pad_db is not None:
        stages.append(GainStage("pad", "Pad", "switch", True, float(rig.pad_on), 0.0, 1.0, 1.0, pad_db=interface.pad_db))
    if interface.knob == "dial":
        stages.append(
            GainStage(
                "preamp", "Preamp", "dial", True, rig.dial, interface.dial_low, interface.dial_high, interface.dial_step,
                taper=None if dial_row is None else taper_of(dial_row),
            )
        )  # fmt: skip
    else:
        low, high, step = interface.gain_low_db, interface.gain_high_db, interface.gain_step_db
        if rig.source == "simulated":
            knob = simulated_source(ws, session, rig).knob
            low, high, step = knob.low_db, knob.high_db, knob.step_db
        stages.append(GainStage("preamp", "Preamp", "dB", True, rig.gain_db, low, high, step))
    stages.append(GainStage("trim", "Device output", "dB", False, rig.trim_db, -60.0, 24.0, 0.5, neutral=0.0))
    stages.append(
        GainStage(
            "slider", "Input slider", "%", False, None if device is None else device.slider_percent, 0.0, 100.0, 1.0, neutral=100.0,
            taper=None if slider_row is None else taper_of(slider_row),
        )
    )  # fmt: skip
    stages.append(GainStage("program", "Program trim", "dB", False, rig.program_db, -60.0, 24.0, 0.5, neutral=0.0))
    return tuple(stages)


def spoken_position(stage: GainStage) -> str:
    """Where a stage stands, as it is read off."""
    if stage.position is None:
        return "unknown"
    if stage.unit == "switch":
        return "in" if stage.position else "out"
    return spoken(stage.position, stage.unit, stage.step)


def _moved(ws: Workshop, session: Session, rig: Rig, take: Take | None) -> tuple[float, str | None]:
    """What gain that was turned since a take does to it, and the sentence of the prediction; 0 and None when nothing was turned."""
    if take is None:
        return 0.0, None
    shift = gain_shift_db(take, facts_of(ws, session, rig), rig)
    if not shift:
        return 0.0, None
    return shift, f"Predicted: {shift:+g} dB gain since the take lifts voice and room alike. Take it again to measure it."


def _voice(ws: Workshop, session: Session, rig: Rig, take: Take | None, quiet: Take | None) -> TalkReading | None:
    if take is None:
        return None
    return talk_at_gain(talk_reading(ws, take, quiet, rig), _moved(ws, session, rig, take)[0])


def _plan(ws: Workshop, session: Session, rig: Rig, takes: Takes, split: FloorSplit | None) -> GainPlan | None:
    """The plan for the newest takes, kept with what it stands on."""
    talk = _voice(ws, session, rig, takes.talk, takes.quiet)
    if talk is None or takes.talk is None:
        return None
    moved, predicted = _moved(ws, session, rig, takes.talk)
    loud, soft = (_voice(ws, session, rig, takes.of(purpose), takes.quiet) for purpose in ("loud", "soft"))
    quiet = None
    if takes.quiet is not None:
        quiet = quiet_at_gain(quiet_reading(ws, takes.quiet), room_shift_db(takes.quiet, takes.talk, rig) + moved)
    plan = plan_gain(
        talk, stages=stages_of(ws, session, rig), loud=loud, soft=soft, quiet=quiet, split=split,
        aim_dbfs=(rig.aim_low_dbfs, rig.aim_high_dbfs),
        max_spl_db=rig.microphone.max_spl_db, loudest_peak_db_spl=_loudest_spl(rig, takes, loud),
        too_far_cm=rig.distance_cm if rig.distance_cm > _FAR_CM else None,
    )  # fmt: skip
    body = plain(plan) | {"predicted": predicted, "quiet_predicted": _quiet_predicted(takes, rig), "stale": None}
    _keep_answer(ws, session, rig, takes, "gain-plan", body, moved=predicted is not None)
    return plan


def _quiet_predicted(takes: Takes, rig: Rig) -> str | None:
    if takes.quiet is None or takes.talk is None:
        return None
    change = room_shift_db(takes.quiet, takes.talk, rig)
    if not change or takes.quiet.gain_db is None:
        return None
    return (
        f"The room was taken at {takes.quiet.gain_db:g} dB gain; its level is moved by {change:+g} dB here, "
        "a prediction until you take it again."
    )


def _loudest_spl(rig: Rig, takes: Takes, loud: TalkReading | None) -> float | None:
    take = takes.of("loud")
    if loud is None or take is None or not has_absolute_gain(rig) or take.gain_db is None:
        return None
    # A sample peak is 3 dB over the AES17 level of a sine that reaches it.
    return spl_of_dbfs(loud.peak_dbfs, microphone_of(rig), interface_of(rig), take.gain_db, pad_on=bool(take.facts.get("pad_on")))


def pin_of(session: Session, rig: Rig, stage: str, name: str) -> float | None:
    """The value that a person pinned, None where the derived value stands."""
    row = setting_row(session, rig, stage, name)
    return float(row.value) if row is not None and row.pinned else None


def _keep(session: Session, rig: Rig, stage: str, name: str, setting: DerivedSetting) -> None:
    row = setting_row(session, rig, stage, name) or Setting(rig_id=rig.id, stage=stage, name=name)
    row.value, row.unit, row.derived = setting.value, setting.unit, setting.derived
    row.pinned, row.because = setting.pinned, setting.because
    session.add(row)


def _band_json(band: EqualizerBand) -> dict[str, Any]:
    return {"shape": band.shape, "frequency_hz": band.frequency_hz, "gain_db": band.gain_db, "q": band.q}


def _band(value: dict[str, Any]) -> EqualizerBand:
    return EqualizerBand(value["shape"], value["frequency_hz"], value["gain_db"], value["q"])


def _highpass(session: Session, rig: Rig, talk: TalkReading, quiet: QuietReading) -> HighpassRule:
    return derive_highpass(
        talk, quiet, pinned_hz=pin_of(session, rig, "highpass", "frequency_hz"), pinned_order=pin_of(session, rig, "highpass", "order")
    )


def _tone_ground(ws: Workshop, rig: Rig, takes: Takes) -> tuple[TalkReading, QuietReading]:
    """Talk, and the room at rest moved to the gain of the passage."""
    if takes.quiet is None:
        raise Refused("no-quiet", "The room was not taken yet, so nobody knows where your voice ends and the room begins. Do Quiet first.")
    if takes.passage is None:
        raise Refused("no-passage", "The passage was not read yet. Read it first.")
    quiet = quiet_at_gain(quiet_reading(ws, takes.quiet), room_shift_db(takes.quiet, takes.passage, rig))
    return talk_reading(ws, takes.passage, takes.quiet, rig), quiet


def response_points(session: Session, rig: Rig) -> np.ndarray | None:
    """The microphone's response file at the points of the fit, dB; None without a file."""
    row = session.get(Response, rig.microphone.response_id) if rig.microphone.response_id is not None else None
    if row is None:
        return None
    hz, db = np.array([r[0] for r in row.rows]), np.array([r[1] for r in row.rows])
    return response_at(POINT_HZ, hz, db)


def fit(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """Fit the tone to the newest takes. Pins stay. Raises Refused when the takes cannot carry it."""
    if takes.quiet is None or takes.passage is None:
        return
    talk, quiet = _tone_ground(ws, rig, takes)
    highpass = _highpass(session, rig, talk, quiet)
    held = [row for row in band_rows(session, rig) if row.pinned]
    pinned = {_band(row.value): row for row in held}
    try:
        tone = derive_tone(talk, quiet, highpass, pinned=list(pinned), mic_response_db=response_points(session, rig))
    except ValueError as error:
        raise Refused(
            "too-noisy",
            "The voice stands over the room in less than one octave, so its tone cannot be told. Go closer to the microphone or quieten the room.",
        ) from error
    derived_of = {band: row.derived for band, row in pinned.items()}
    session.execute(delete(Setting).where(Setting.rig_id == rig.id, Setting.stage == "equalizer"))
    for number, named in enumerate(tone.bands, 1):
        value = _band_json(named.band)
        session.add(
            Setting(
                rig_id=rig.id, stage="equalizer", name=f"band-{number}", value=value, unit="dB",
                derived=derived_of.get(named.band, value), pinned=named.pinned, because=named.because,
            )
        )  # fmt: skip
    _keep(session, rig, "highpass", "frequency_hz", highpass.frequency_hz)
    _keep(session, rig, "highpass", "order", highpass.order)
    session.flush()
    _keep_tone(ws, session, rig, tone, talk, takes)


def _keep_tone(ws: Workshop, session: Session, rig: Rig, tone: Tone, talk: TalkReading, takes: Takes) -> None:
    found = tone.fit
    body = {
        "points_hz": plain(POINT_HZ), "recorded_db": plain(found.recorded_db), "corrected_db": plain(found.corrected_db),
        "target_db": plain(found.target_db), "trust": plain(found.trust), "corridor_db": found.corridor_db,
        "left_over_rms_db": round(found.left_over_rms_db, 2), "worst_db": round(found.worst_db, 2),
        "low_hz": round(found.low_hz), "high_hz": round(found.high_hz), "left_alone": tone.left_alone, "voiced_s": round(talk.voiced_s, 1),
    }  # fmt: skip
    _keep_answer(ws, session, rig, takes, "equalizer", body)


def judge(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """New evidence for bands that a person changed. What the fit stood on stays what it stood on, the pins apart."""
    row = session.get_one(Derivation, (rig.id, "tone"))
    before = dict(row.used)
    talk, quiet = _tone_ground(ws, rig, takes)
    rows = band_rows(session, rig)
    highpass = _highpass(session, rig, talk, quiet)
    tone = judge_tone(talk, quiet, highpass, [_band(r.value) for r in rows], [r.pinned for r in rows])
    for band_row, named in zip(rows, tone.bands, strict=True):
        band_row.because = named.because
    _keep_tone(ws, session, rig, tone, talk, takes)
    kept = session.get_one(Derivation, (rig.id, "tone"))
    kept.used = {**kept.used, **{key: value for key, value in before.items() if not key.startswith("pin:")}}


def tone_specs(session: Session, rig: Rig) -> tuple[StageSpec, ...] | None:
    """The chain as far as Tone, None before a fit."""
    frequency, order = setting_row(session, rig, "highpass", "frequency_hz"), setting_row(session, rig, "highpass", "order")
    if frequency is None or order is None:
        return None
    rule = HighpassRule(_derived(frequency), _derived(order))
    return tone_chain(rule, [_band(row.value) for row in band_rows(session, rig)])


def correction_rows(specs: Sequence[StageSpec], rate_hz: int) -> list[list[float]]:
    """What the chain as far as Tone does, as rows of Hz and dB at 1/12-octave points: the spectrum of its answer to one impulse."""
    impulse = np.zeros(1 << 16)
    impulse[0] = 1.0
    spectrum = np.abs(np.fft.rfft(render(specs, impulse, rate_hz=rate_hz)))
    hz = np.fft.rfftfreq(len(impulse), 1.0 / rate_hz)
    wanted = POINT_HZ[POINT_HZ < 0.45 * rate_hz]
    return [[round(float(f), 2), round(float(20.0 * np.log10(max(np.interp(f, hz, spectrum), 1e-9))), 3)] for f in wanted]


def _derived(row: Setting) -> DerivedSetting:
    return DerivedSetting(float(row.value), row.unit, float(row.derived), row.pinned, row.because)


def chain_specs(session: Session, rig: Rig) -> tuple[StageSpec, ...] | None:
    """The whole chain as it stands, None before it can be derived."""
    before = tone_specs(session, rig)
    gain, ceiling = setting_row(session, rig, "gain", "gain_db"), setting_row(session, rig, "limiter", "ceiling_dbtp")
    if before is None or gain is None or ceiling is None:
        return None
    return (*before, GainSpec(float(gain.value)), LimiterSpec(float(ceiling.value), RELEASE_S))


def deliver(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """Gain and limiter for the talk take through the tone chain, moved to the gain of now where only gain was turned."""
    before = tone_specs(session, rig)
    ground = takes.voice
    if before is None or ground is None:
        return
    moved, predicted = _moved(ws, session, rig, ground)
    delivery = derive_delivery(
        samples_of(ws, ground) * amplitude_from_db(moved), before, rate_hz=ground.rate_hz,
        pinned_gain_db=pin_of(session, rig, "gain", "gain_db"), pinned_ceiling_dbtp=pin_of(session, rig, "limiter", "ceiling_dbtp"),
    )  # fmt: skip
    _keep(session, rig, "gain", "gain_db", delivery.gain_db)
    _keep(session, rig, "limiter", "ceiling_dbtp", delivery.ceiling_dbtp)
    session.flush()
    raw = session.get(Reading, ground.id)
    raw_lufs = raw.body.get("loudness_lufs") if raw else None
    body = _delivery_json(session, rig, delivery, ground, None if raw_lufs is None else round(raw_lufs + moved, 2)) | {
        "predicted": predicted
    }
    _keep_answer(ws, session, rig, takes, "delivery", body, moved=predicted is not None)
    if ws.run is not None:
        specs = chain_specs(session, rig)
        if specs is not None:
            ws.run.change_chain(specs)


def _delivery_json(session: Session, rig: Rig, delivery: Delivery, ground: Take, raw_lufs: float | None) -> dict[str, Any]:
    chain = VoiceChain(chain_specs(session, rig) or (), ground.rate_hz)
    return {
        "aim_lufs": delivery.aim_lufs, "tolerance_lu": LOUDNESS_TOLERANCE_LU, "planned_lufs": round(delivery.planned_lufs, 2),
        "planned_true_peak_dbtp": round(delivery.planned_true_peak_dbtp, 2), "raw_lufs": raw_lufs,
        "limited_db": round(delivery.limited_db, 2), "delay_ms": round(chain.delay_samples * 1000.0 / ground.rate_hz, 2),
    }  # fmt: skip


def draw(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """The level diagram's points, from the takes run through the chain."""
    ground, rest = takes.voice, takes.quiet
    first = ground or rest
    if first is None:
        return
    moved, predicted = _moved(ws, session, rig, first)
    talk = samples_of(ws, ground) * amplitude_from_db(moved) if ground else None
    quiet = None
    if rest is not None:
        to_voice = room_shift_db(rest, ground, rig) if ground is not None else 0.0
        quiet = samples_of(ws, rest) * amplitude_from_db(to_voice + moved)
    rate = first.rate_hz
    points = _points(session, rig, talk, quiet, rate, rest.rate_hz if rest else rate, _gain_before_converter(rig, first, moved))
    body = {"points": points, "predicted": predicted}
    _keep_answer(ws, session, rig, takes, "diagram", body, moved=predicted is not None)


def _gain_before_converter(rig: Rig, take: Take, moved: float) -> float | None:
    """Gain from capsule to converter, dB, where the knob says it; after the converter nothing must be turned."""
    if (
        not has_absolute_gain(rig)
        or take.gain_db is None
        or rig.microphone.sensitivity_mv_pa is None
        or rig.interface.max_input_dbu is None
    ):
        return None
    pad = (rig.interface.pad_db or 0.0) if take.facts.get("pad_on") else 0.0
    return take.gain_db + moved - pad + float(take.facts.get("trim_db") or 0.0)


def _points(
    session: Session, rig: Rig, talk: Samples | None, quiet: Samples | None, rate: int, quiet_rate: int, gain_db: float | None
) -> list[dict[str, Any]]:
    converter = levels_here(talk, quiet, rate_hz=rate)
    points: list[dict[str, Any]] = []
    if gain_db is not None:
        points.append(_point("mic", "at the mic", shifted(converter, -gain_db), _pressure(rig, converter, gain_db)))
    points.append(_point("converter", "converter", converter, None))
    for name, title, specs in (("toned", "toned", tone_specs(session, rig)), ("feed", "feed", chain_specs(session, rig))):
        if specs is not None and talk is not None:
            after = levels_after(specs, talk, quiet, rate_hz=rate, quiet_rate_hz=quiet_rate)
            points.append(_point(name, title, after, None))
    return points


def _pressure(rig: Rig, converter: PathPoint, gain_db: float) -> str | None:
    if converter.voice_high_dbfs is None or rig.microphone.sensitivity_mv_pa is None or rig.interface.max_input_dbu is None:
        return None
    spl = sound_pressure_db_spl(
        converter.voice_high_dbfs,
        gain_db=gain_db,
        max_input_dbu=rig.interface.max_input_dbu,
        sensitivity_mv_pa=rig.microphone.sensitivity_mv_pa,
    )
    return f"{spl:.0f} dB SPL"


def _point(name: str, title: str, point: PathPoint, note: str | None) -> dict[str, Any]:
    return {"name": name, "title": title, "note": note, **plain(point)}
