"""The calibration of the rig in hand as an open file."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.formats.calibration import FEED_NAME, calibration_json, release_setting
from obsidian_wren.formats.response import response_text
from obsidian_wren.service import deriving
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import Takes, band_rows, current_takes
from obsidian_wren.service.rigs import fields_of, the_rig
from obsidian_wren.service.views import InterfaceFields, MicrophoneFields, RoomFields
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Reading, Response, Rig, Setting, Take


def export_calibration(ws: Workshop) -> dict[str, Any]:
    """The whole calibration file as plain JSON."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if deriving.chain_specs(session, rig) is None:
            raise Refused("no-chain", "There is no calibration yet: Tone has to be fitted first.")
        takes = current_takes(session, rig)
        rows = {(row.stage, row.name): row for row in session.scalars(select(Setting).where(Setting.rig_id == rig.id))}
        send = session.get_one(Derivation, (rig.id, "send")).body
        tone = session.get_one(Derivation, (rig.id, "tone")).body
        readings = {name: _body(session.get(Reading, take.id)) for name, take in _named(takes) if take is not None}
        profile = session.get(Derivation, (rig.id, "noise-profile"))
        if profile is not None:
            readings["noise_profile"] = profile.body
        bands = band_rows(session, rig)
        chain = [
            _stage("highpass", {name: _setting(rows["highpass", name]) for name in ("frequency_hz", "order")}),
            _stage("equalizer", {"bands": _bands(bands, tone)}),
            _stage("gain", {"gain_db": _setting(rows["gain", "gain_db"])}),
            _stage("limiter", {"ceiling_dbtp": _setting(rows["limiter", "ceiling_dbtp"]), "release_ms": release_setting()}),
        ]
        feed = {k: send[k] for k in ("aim_lufs", "planned_lufs", "planned_true_peak_dbtp")}
        return calibration_json(rig=_rig(session, rig), readings=readings, chain=chain, feeds=[{"name": FEED_NAME, **feed}])


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


def _stage(kind: str, settings: dict[str, Any]) -> dict[str, Any]:
    return {"kind": kind, "on": True, "settings": settings}


def _setting(row: Setting) -> dict[str, Any]:
    return {"value": row.value, "unit": row.unit, "derived": row.derived, "pinned": row.pinned, "because": row.because}


def _bands(rows: list[Setting], tone: dict[str, Any]) -> dict[str, Any]:
    because = f"{tone['left_over_rms_db']:.1f} dB rms are left over from {tone['low_hz']} Hz to {tone['high_hz']} Hz. {tone['left_alone']}"
    return {
        "value": [row.value | {"pinned": row.pinned, "because": row.because} for row in rows], "unit": "bands",
        "derived": [row.derived for row in rows], "pinned": any(row.pinned for row in rows), "because": because,
    }  # fmt: skip


def export_response(ws: Workshop, what: str) -> tuple[str, str]:
    """A file name and two-column text: the microphone's response as it was handed out, or the correction as it is fitted."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if what == "microphone":
            row = session.get(Response, rig.microphone.response_id) if rig.microphone.response_id is not None else None
            if row is None:
                raise Refused("no-response", "This microphone has no response file yet. Import one first.")
            return f"{rig.microphone.name}.txt", response_text(row.rows, title=f"{rig.microphone.name}: response")
        specs = deriving.tone_specs(session, rig)
        if specs is None:
            raise Refused("no-chain", "There is no correction yet: Tone has to be fitted first.")
        rows = deriving.correction_rows(specs, rig.rate_hz)
        return "correction.txt", response_text(rows, title=f"Correction for {rig.microphone.name} through {rig.interface.name}")
