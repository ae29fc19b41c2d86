"""The calibration of the rig in hand as an open file."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.stage_plan import Switch
from obsidian_wren.formats.calibration import FEED_NAME, bands_setting, calibration_json, stage_json
from obsidian_wren.formats.response import response_text
from obsidian_wren.service import mix_basis, scene, voice
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import Takes, band_rows, current_takes
from obsidian_wren.service.rigs import fields_of, the_rig
from obsidian_wren.service.views import InterfaceFields, MicrophoneFields, RoomFields
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Reading, Response, Rig, Setting, StageRow, Take


def export_calibration(ws: Workshop) -> dict[str, Any]:
    """The whole calibration file as plain JSON."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if voice.chain_specs(session, rig) is None:
            raise Refused("no-chain", "There is no calibration yet: Tone has to be fitted first.")
        takes = current_takes(session, rig)
        send = session.get_one(Derivation, (rig.id, "send")).body
        readings = {name: _body(session.get(Reading, take.id)) for name, take in _named(takes) if take is not None}
        profile = session.get(Derivation, (rig.id, "noise-profile"))
        if profile is not None:
            readings["noise_profile"] = profile.body
        chain = [_stage(session, rig, kind) for kind in voice.order_of(rig)]
        feed = {k: v for k, v in send.items() if k.startswith(("aim_", "planned_"))}
        mixes = _feeds(ws, session, rig)
        first = mixes.pop(FEED_NAME, {})
        feeds = [{"name": FEED_NAME, **feed, **first}, *mixes.values()]
        return calibration_json(rig=_rig(session, rig), readings=readings, chain=chain, feeds=feeds)


def _feeds(ws: Workshop, session: Session, rig: Rig) -> dict[str, dict[str, Any]]:
    """Every mix that is derived, by the name that programs pick, or by the listener's where there is nothing to pick."""
    body = mix_basis.mixes_body(session, rig)
    found = {}
    for row in scene.destinations(ws, session):
        mix = body["listeners"].get(row.key)
        if mix is None:
            continue
        name, outcome = scene.feed_of(row.kind) or row.name, mix["outcome"]
        found[name] = {
            "name": name, "listener": row.name, "kind": row.kind, "channels": mix["channels"], "ceiling_dbtp": mix["ceiling_dbtp"],
            "aim_lufs": mix["aim_lufs"], "because": mix["because"], "planned_lufs": outcome["lufs"],
            "planned_true_peak_dbtp": outcome["true_peak_dbtp"], "planned_voice_over_lu": outcome["voice_over_lu"],
            "ducking": body["ducking"], "sends": mix["sends"], "kept_out": mix["kept_out"],
        }  # fmt: skip
    return found


def _named(takes: Takes) -> list[tuple[str, Take | None]]:
    names = {"quiet": "rest", "in_use": "in-use", "talk": "talk", "loud": "loud", "soft": "soft", "passage": "passage"}
    return [(name, takes.of(purpose)) for name, purpose in names.items()]


def _body(reading: Reading | None) -> dict[str, Any]:
    return dict(reading.body) if reading is not None else {}


def _rig(session: Session, rig: Rig) -> dict[str, Any]:
    """The rig with everything it is made of, and its gain plan."""
    plan = session.get(Derivation, (rig.id, "gain"))
    names = ("name", "distance_cm", "angle_deg", "height_cm", "pop_screen", "foam", "shock_mount", "support", "rate_hz", "bits", "gain_db",
             "dial", "pad_on", "trim_db", "program_db")  # fmt: skip
    return {
        **{name: getattr(rig, name) for name in names},
        "aim_dbfs": [rig.aim_low_dbfs, rig.aim_high_dbfs],
        "microphone": fields_of(rig.microphone, MicrophoneFields), "interface": fields_of(rig.interface, InterfaceFields),
        "room": fields_of(rig.room, RoomFields), "preamp": plan.body if plan else None,
    }  # fmt: skip


def _stage(session: Session, rig: Rig, kind: str) -> dict[str, Any]:
    row = session.get_one(StageRow, (rig.id, kind))
    settings = session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.stage == kind).order_by(Setting.id))
    values = {} if kind == "equalizer" else {setting.name: _setting(setting) for setting in settings}
    matter = dict(row.matter)
    stage = stage_json(kind, Switch(row.runs, row.derived, row.pinned, row.because), values, matter)
    if kind == "equalizer":
        tone = session.get_one(Derivation, (rig.id, "tone")).body
        because = (
            f"{tone['left_over_rms_db']:.1f} dB rms are left over from {tone['low_hz']} Hz to {tone['high_hz']} Hz. {tone['left_alone']}"
        )
        bands = [band.value | {"pinned": band.pinned, "because": band.because, "derived": band.derived} for band in band_rows(session, rig)]
        stage["settings"]["bands"] = bands_setting(bands, because)
    return stage


def _setting(row: Setting) -> dict[str, Any]:
    return {"value": row.value, "unit": row.unit, "derived": row.derived, "pinned": row.pinned, "because": row.because}


def export_response(ws: Workshop, what: str) -> tuple[str, str]:
    """A file name and two-column text: the microphone's response as it was handed out, or the correction as it is fitted."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if what == "microphone":
            row = session.get(Response, rig.microphone.response_id) if rig.microphone.response_id is not None else None
            if row is None:
                raise Refused("no-response", "This microphone has no response file yet. Import one first.")
            return f"{rig.microphone.name}.txt", response_text(row.rows, title=f"{rig.microphone.name}: response")
        specs = voice.tone_specs(session, rig)
        if specs is None:
            raise Refused("no-chain", "There is no correction yet: Tone has to be fitted first.")
        rows = voice.correction_rows(specs, rig.rate_hz)
        return "correction.txt", response_text(rows, title=f"Correction for {rig.microphone.name} through {rig.interface.name}")


def export_equalizer(ws: Workshop, what: str, rate_hz: int) -> tuple[str, bytes, str]:
    """A file name, its bytes and their type: the equalizer's biquads as CSV, or its minimum-phase impulse response as WAV."""
    from obsidian_wren.formats.equalizer import biquads_csv, impulse_wav

    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        bands = [voice.band_of(row.value) for row in band_rows(session, rig)]
    if not bands:
        raise Refused("no-chain", "There is no equalizer yet: Tone has to be fitted first.")
    if what == "biquads":
        return "equalizer.csv", biquads_csv(bands, rate_hz=rate_hz).encode(), "text/csv"
    return "equalizer.wav", impulse_wav(bands, rate_hz=rate_hz), "audio/wav"
