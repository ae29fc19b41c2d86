"""The calibration of the rig in hand as an open file."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from obsidian_wren.formats.calibration import FEED_NAME, calibration_json, release_setting
from obsidian_wren.service import calibrating
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import Takes, band_rows, current_takes
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.views import RigFields
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Reading, Rig, Setting, Take


def export_calibration(ws: Workshop) -> dict[str, Any]:
    """The whole calibration file as plain JSON."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if calibrating.chain_specs(session, rig) is None:
            raise Refused("no-chain", "There is no calibration yet: Tone has to be fitted first.")
        takes = current_takes(session, rig)
        rows = {(row.stage, row.name): row for row in session.scalars(select(Setting).where(Setting.rig_id == rig.id))}
        send = session.get_one(Derivation, (rig.id, "send")).body
        tone = session.get_one(Derivation, (rig.id, "tone")).body
        readings = {name: _body(session.get(Reading, take.id)) for name, take in _named(takes) if take is not None}
        bands = band_rows(session, rig)
        chain = [
            _stage("highpass", {name: _setting(rows["highpass", name]) for name in ("frequency_hz", "order")}),
            _stage("equalizer", {"bands": _bands(bands, tone)}),
            _stage("gain", {"gain_db": _setting(rows["gain", "gain_db"])}),
            _stage("limiter", {"ceiling_dbtp": _setting(rows["limiter", "ceiling_dbtp"]), "release_ms": release_setting()}),
        ]
        feed = {k: send[k] for k in ("aim_lufs", "planned_lufs", "planned_true_peak_dbtp")}
        return calibration_json(rig=_rig(rig), readings=readings, chain=chain, feeds=[{"name": FEED_NAME, **feed}])


def _named(takes: Takes) -> list[tuple[str, Take | None]]:
    return [("quiet", takes.quiet), ("talk", takes.talk), ("passage", takes.passage)]


def _body(reading: Reading | None) -> dict[str, Any]:
    return dict(reading.body) if reading is not None else {}


def _rig(rig: Rig) -> dict[str, Any]:
    return {name: getattr(rig, name) for name in RigFields.model_fields} | {"gain_db": rig.gain_db}


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
