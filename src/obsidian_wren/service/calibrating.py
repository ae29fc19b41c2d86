"""From takes to settings: measure, derive, pin, nudge, settle."""

from __future__ import annotations

from typing import Any

import numpy as np
from sqlalchemy import delete
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive import preamp
from obsidian_wren.core.derive.delivery import LOUDNESS_TOLERANCE_LU, RELEASE_S, Delivery, derive_delivery
from obsidian_wren.core.derive.highpass import HighpassRule, derive_highpass
from obsidian_wren.core.derive.path_levels import PathPoint, levels_after, levels_here, shifted, sound_pressure_db_spl
from obsidian_wren.core.derive.plan import tone_chain
from obsidian_wren.core.derive.prediction import quiet_at_gain
from obsidian_wren.core.derive.setting import Setting as DerivedSetting
from obsidian_wren.core.derive.tone import Tone, derive_tone, judge_tone
from obsidian_wren.core.measure.readings import QuietReading, TalkReading, read_quiet, read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.formats.plain import plain, reading_json
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import Takes, band_rows, current_takes, newest_proof_is_good, now, setting_row
from obsidian_wren.service.rigs import basis_of, simulated_source, the_rig
from obsidian_wren.service.views import BandValue, StepName
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Derivation, Reading, Rig, Setting, Settled, Take


def samples_of(ws: Workshop, take: Take) -> Samples:
    """The samples of a take."""
    loaded: Samples = ws.sounds.get(take.sha256, lambda: take_files.load_take(ws.folder, take.sha256)[0])
    return loaded


def quiet_reading(ws: Workshop, take: Take) -> QuietReading:
    """The quiet reading of a take."""
    reading: QuietReading = ws.readings.get(("quiet", take.sha256), lambda: read_quiet(samples_of(ws, take), rate_hz=take.rate_hz))
    return reading


def _gain_change_db(quiet: Take, talk: Take) -> float:
    return 0.0 if quiet.gain_db is None or talk.gain_db is None else talk.gain_db - quiet.gain_db


def talk_reading(ws: Workshop, take: Take, quiet: Take | None) -> TalkReading:
    """The talk reading of a take against the room, whose levels are moved to the gain of this take."""

    def measure() -> TalkReading:
        room = None if quiet is None else quiet_at_gain(quiet_reading(ws, quiet), _gain_change_db(quiet, take))
        return read_talk(samples_of(ws, take), rate_hz=take.rate_hz, quiet=room)

    reading: TalkReading = ws.readings.get(("talk", take.sha256, quiet.id if quiet else None), measure)
    return reading


def measure_and_derive(ws: Workshop, take_id: int) -> None:
    """Measure a new take and derive what it gives. A new passage is fitted at once; a new quiet take leaves the fit stale."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        take = session.get_one(Take, take_id)
        takes = current_takes(session, rig)
        if take.purpose == "rest":
            body = reading_json(quiet_reading(ws, take))
        else:
            body = reading_json(talk_reading(ws, take, takes.quiet))
            body.update(_histogram(samples_of(ws, take), take.rate_hz))
        session.merge(Reading(take_id=take_id, body=body))
        session.flush()
        _advise(ws, session, rig, takes)
        if take.purpose == "passage":
            try:
                _fit(ws, session, rig, takes)
            except Refused as error:
                # The take stays with its sentence; what was derived from the one before it stands.
                take.fault = str(error)
                return
        _deliver(ws, session, rig, takes)
        _draw(ws, session, rig, takes)


def _histogram(samples: Samples, rate_hz: int) -> dict[str, Any]:
    """Share of 10 ms frames at each whole dBFS from −96 to 0."""
    from obsidian_wren.core.measure.levels import frame_levels_dbfs

    levels = np.clip(frame_levels_dbfs(samples, rate_hz=rate_hz), -96.0, 0.0)
    counts, _ = np.histogram(levels, bins=np.arange(-96.0, 1.5))
    return {"histogram_dbfs": [round(float(c), 5) for c in counts / max(1, len(levels))], "histogram_from_dbfs": -96.0}


def fit_again(ws: Workshop) -> None:
    """Fit the tone to the newest takes. Pins stay."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        _fit(ws, session, rig, takes)
        _deliver(ws, session, rig, takes)
        _draw(ws, session, rig, takes)
    ws.changed()


def _pin(session: Session, rig: Rig, stage: str, name: str) -> float | None:
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
        talk, quiet, pinned_hz=_pin(session, rig, "highpass", "frequency_hz"), pinned_order=_pin(session, rig, "highpass", "order")
    )


def _tone_ground(ws: Workshop, takes: Takes) -> tuple[TalkReading, QuietReading]:
    if takes.quiet is None:
        raise Refused("no-quiet", "The room was not taken yet, so nobody knows where your voice ends and the room begins. Do Quiet first.")
    if takes.passage is None:
        raise Refused("no-passage", "The passage was not read yet. Read it first.")
    quiet = quiet_at_gain(quiet_reading(ws, takes.quiet), _gain_change_db(takes.quiet, takes.passage))
    return talk_reading(ws, takes.passage, takes.quiet), quiet


def _fit(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    if takes.quiet is None or takes.passage is None:
        return
    talk, quiet = _tone_ground(ws, takes)
    highpass = _highpass(session, rig, talk, quiet)
    held = [row for row in band_rows(session, rig) if row.pinned]
    pinned = {_band(row.value): row for row in held}
    try:
        tone = derive_tone(talk, quiet, highpass, pinned=list(pinned))
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
                rig_id=rig.id,
                stage="equalizer",
                name=f"band-{number}",
                value=value,
                unit="dB",
                derived=derived_of.get(named.band, value),
                pinned=named.pinned,
                because=named.because,
            )
        )
    _keep(session, rig, "highpass", "frequency_hz", highpass.frequency_hz)
    _keep(session, rig, "highpass", "order", highpass.order)
    session.flush()
    _keep_tone(session, rig, tone, talk, takes)


def _keep_tone(session: Session, rig: Rig, tone: Tone, talk: TalkReading, takes: Takes) -> None:
    fit = tone.fit
    body = {
        "points_hz": plain(POINT_HZ), "recorded_db": plain(fit.recorded_db), "corrected_db": plain(fit.corrected_db),
        "target_db": plain(fit.target_db), "trust": plain(fit.trust), "corridor_db": fit.corridor_db,
        "left_over_rms_db": round(fit.left_over_rms_db, 2), "worst_db": round(fit.worst_db, 2),
        "low_hz": round(fit.low_hz), "high_hz": round(fit.high_hz), "left_alone": tone.left_alone, "voiced_s": round(talk.voiced_s, 1),
    }  # fmt: skip
    session.merge(Derivation(rig_id=rig.id, step="tone", body=body, used=takes.ids()))


def _judge(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """New evidence for bands that a person changed."""
    talk, quiet = _tone_ground(ws, takes)
    rows = band_rows(session, rig)
    highpass = _highpass(session, rig, talk, quiet)
    tone = judge_tone(talk, quiet, highpass, [_band(row.value) for row in rows], [row.pinned for row in rows])
    for row, named in zip(rows, tone.bands, strict=True):
        row.because = named.because
    _keep_tone(session, rig, tone, talk, takes)


def tone_specs(session: Session, rig: Rig) -> tuple[StageSpec, ...] | None:
    """The chain as far as Tone, None before a fit."""
    frequency, order = setting_row(session, rig, "highpass", "frequency_hz"), setting_row(session, rig, "highpass", "order")
    if frequency is None or order is None:
        return None
    rule = HighpassRule(_derived(frequency), _derived(order))
    return tone_chain(rule, [_band(row.value) for row in band_rows(session, rig)])


def _derived(row: Setting) -> DerivedSetting:
    return DerivedSetting(float(row.value), row.unit, float(row.derived), row.pinned, row.because)


def chain_specs(session: Session, rig: Rig) -> tuple[StageSpec, ...] | None:
    """The whole chain as it stands, None before it can be derived."""
    before = tone_specs(session, rig)
    gain, ceiling = setting_row(session, rig, "gain", "gain_db"), setting_row(session, rig, "limiter", "ceiling_dbtp")
    if before is None or gain is None or ceiling is None:
        return None
    return (*before, GainSpec(float(gain.value)), LimiterSpec(float(ceiling.value), RELEASE_S))


def _deliver(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    before = tone_specs(session, rig)
    ground = takes.talk or takes.passage
    if before is None or ground is None:
        return
    delivery = derive_delivery(
        samples_of(ws, ground), before, rate_hz=ground.rate_hz,
        pinned_gain_db=_pin(session, rig, "gain", "gain_db"), pinned_ceiling_dbtp=_pin(session, rig, "limiter", "ceiling_dbtp"),
    )  # fmt: skip
    _keep(session, rig, "gain", "gain_db", delivery.gain_db)
    _keep(session, rig, "limiter", "ceiling_dbtp", delivery.ceiling_dbtp)
    session.flush()
    raw = session.get(Reading, ground.id)
    _keep_delivery(session, rig, delivery, ground, raw.body.get("loudness_lufs") if raw else None)
    if ws.run is not None:
        specs = chain_specs(session, rig)
        if specs is not None:
            ws.run.change_chain(specs)


def _keep_delivery(session: Session, rig: Rig, delivery: Delivery, ground: Take, raw_lufs: float | None) -> None:
    chain = VoiceChain(chain_specs(session, rig) or (), ground.rate_hz)
    body = {
        "aim_lufs": delivery.aim_lufs, "tolerance_lu": LOUDNESS_TOLERANCE_LU, "planned_lufs": round(delivery.planned_lufs, 2),
        "planned_true_peak_dbtp": round(delivery.planned_true_peak_dbtp, 2), "raw_lufs": raw_lufs,
        "limited_db": round(delivery.limited_db, 2), "delay_ms": round(chain.delay_samples * 1000.0 / ground.rate_hz, 2),
    }  # fmt: skip
    session.merge(Derivation(rig_id=rig.id, step="send", body=body, used={"take": ground.id}))


def _draw(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """The level diagram's points, from the takes run through the chain."""
    ground = takes.talk or takes.passage
    if ground is None and takes.quiet is None:
        return
    talk = samples_of(ws, ground) if ground else None
    quiet = samples_of(ws, takes.quiet) if takes.quiet else None
    rate = ground.rate_hz if ground else 48_000
    quiet_rate = takes.quiet.rate_hz if takes.quiet else rate
    if quiet is not None and takes.quiet is not None and ground is not None:
        quiet = quiet * 10.0 ** (_gain_change_db(takes.quiet, ground) / 20.0)
    converter = levels_here(talk, quiet, rate_hz=rate)
    points: list[dict[str, Any]] = []
    gain_db = (ground or takes.quiet).gain_db  # type: ignore[union-attr]
    # Only the simulated knob says where it stands; a real one is known by how far it was turned.
    if rig.source == "simulated" and gain_db is not None and rig.sensitivity_mv_pa and rig.max_input_dbu is not None:
        points.append(_point("mic", "at the mic", shifted(converter, -gain_db), _pressure(rig, converter, gain_db)))
    points.append(_point("converter", "converter", converter, None))
    for name, title, specs in (("toned", "toned", tone_specs(session, rig)), ("feed", "feed", chain_specs(session, rig))):
        if specs is not None and ground is not None:
            after = levels_after(specs, talk, quiet, rate_hz=rate, quiet_rate_hz=quiet_rate)
            points.append(_point(name, title, after, None))
    session.merge(Derivation(rig_id=rig.id, step="diagram", body={"points": points}, used=takes.ids()))


def _pressure(rig: Rig, converter: PathPoint, gain_db: float) -> str | None:
    if converter.voice_high_dbfs is None or rig.sensitivity_mv_pa is None or rig.max_input_dbu is None:
        return None
    spl = sound_pressure_db_spl(
        converter.voice_high_dbfs, gain_db=gain_db, max_input_dbu=rig.max_input_dbu, sensitivity_mv_pa=rig.sensitivity_mv_pa
    )
    return f"{spl:.0f} dB SPL"


def _point(name: str, title: str, point: PathPoint, note: str | None) -> dict[str, Any]:
    return {"name": name, "title": title, "note": note, **plain(point)}


def change_setting(ws: Workshop, stage: str, name: str, *, value: float | None, band: BandValue | None, pinned: bool) -> None:
    """Pin a setting to a person's value, or let the derived value stand again."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        row = setting_row(session, rig, stage, name)
        if row is None:
            raise Refused("no-setting", "There is no such setting yet. Take what it is derived from first.")
        row.pinned = pinned
        if not pinned:
            row.value = row.derived
        elif stage == "equalizer":
            if band is not None:
                row.value = band.model_dump()
        elif value is not None:
            low, high = _LIMITS[(stage, name)]
            if not low <= value <= high:
                raise Refused("range", f"This setting goes from {low:g} to {high:g} {row.unit}. Choose a value in between.")
            row.value = value
        session.flush()
        takes = current_takes(session, rig)
        if stage in ("highpass", "equalizer"):
            _judge(ws, session, rig, takes)
        _deliver(ws, session, rig, takes)
        _draw(ws, session, rig, takes)
    ws.changed()


_LIMITS = {
    ("highpass", "frequency_hz"): (20.0, 200.0),
    ("highpass", "order"): (1.0, 4.0),
    ("gain", "gain_db"): (-30.0, 40.0),
    ("limiter", "ceiling_dbtp"): (-20.0, -1.0),
}


def _advise(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """The preamp rule's answer for the newest talk take, kept with what it stands on."""
    if takes.talk is None:
        return
    reading = talk_reading(ws, takes.talk, takes.quiet)
    quiet = None if takes.quiet is None else quiet_reading(ws, takes.quiet)
    knob = simulated_source(ws, rig).knob if rig.source == "simulated" else None
    advice = preamp.advise_preamp(
        reading, quiet, gain_db=takes.talk.gain_db,
        gain_range_db=None if knob is None else (knob.low_db, knob.high_db), step_db=knob.step_db if knob else 1.0,
    )  # fmt: skip
    session.merge(Derivation(rig_id=rig.id, step="gain", body=plain(advice), used=takes.ids()))


def settle_step(ws: Workshop, step: StepName) -> None:
    """A person accepts a step as it stands. Refused, with what to do, while it stands on nothing."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        missing = {
            "quiet": None if takes.quiet else "Take the room first.",
            "gain": None if takes.talk else "Take normal talk first.",
            "tone": None if session.get(Derivation, (rig.id, "tone")) else "Read the passage first.",
            "send": None
            if newest_proof_is_good(session)
            else "Send the marker first: settling stands on proof that the treated voice arrives.",
        }.get(step)
        if missing:
            raise Refused("not-yet", missing)
        basis = basis_of(rig)
        session.merge(
            Settled(
                rig_id=rig.id,
                step=step,
                at=now(),
                basis={"gain_db": basis.gain_db, "distance_cm": basis.distance_cm, "angle_deg": basis.angle_deg},
            )
        )
    ws.changed()
