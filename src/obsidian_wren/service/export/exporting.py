"""The calibration of the rig in hand as an open file."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.derive.stage_plan import Switch
from obsidian_wren.formats.calibration import (
    FEED_NAME,
    CalibrationFile,
    bands_setting,
    calibration_json,
    is_told,
    stage_json,
)
from obsidian_wren.formats.response import response_text
from obsidian_wren.service.calibration import chain_order, chain_rows
from obsidian_wren.service.calibration.setting_rows import band_rows, stage_rows
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.proof import check_part, proof_part
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.fields import (
    InterfaceFields,
    MicrophoneFields,
    RoomFields,
)
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.take_queries import Takes, current_takes
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Reading, Response, SettingRow, StageRow, Take


def export_calibration(ws: Workshop) -> dict[str, Any]:
    """The whole calibration file as plain JSON."""
    with ws.sessions.begin() as session:
        ctx = in_hand(ws, session)
        rig = ctx.rig
        if chain_rows.chain_specs(ctx) is None:
            raise Refused("no-chain", "There is no calibration yet: Tone has to be fitted first.")
        takes = current_takes(session, rig)
        send = session.get_one(Derivation, (rig.id, "send")).body
        readings = {
            name: _body(session.get(Reading, take.id))
            for name, take in _named(takes)
            if take is not None
        }
        profile = session.get(Derivation, (rig.id, "noise-profile"))
        if profile is not None:
            readings["noise_profile"] = profile.body
        readings |= check_part(ctx)
        rows = stage_rows(ctx)
        chain = [
            _stage(ctx, key, rows[key])
            for key in chain_order.order_of(rig)
            if key in rows and is_told(key, _switch(rows[key]))
        ]
        feed = {k: v for k, v in send.items() if k.startswith(("aim_", "planned_"))}
        mixes = _feeds(ctx)
        first = mixes.pop(FEED_NAME, {})
        feeds = [{"name": FEED_NAME, **feed, **first}, *mixes.values()]
        whole = calibration_json(rig=_rig(ctx), readings=readings, chain=chain, feeds=feeds)
        return {**whole, "proof": proof_part(ctx)}


def export_report(ws: Workshop) -> str:
    """The calibration as a page that prints. Raises Refused before there is one."""
    from obsidian_wren.formats.report import report_html

    return report_html(CalibrationFile.model_validate(export_calibration(ws)))


def _feeds(ctx: RigContext) -> dict[str, dict[str, Any]]:
    """Every mix that is derived, by the name that programs pick, or by the listener's where
    there is nothing to pick."""
    body = mix_rows.mixes_body(ctx)
    found = {}
    for row in scene.destinations(ctx.session):
        mix = body["listeners"].get(row.key)
        if mix is None:
            continue
        name, outcome = scene.feed_of(row) or row.name, mix["outcome"]
        found[name] = {
            "name": name,
            "listener": row.name,
            "kind": row.kind,
            "channels": mix["channels"],
            "ceiling_dbtp": mix["ceiling_dbtp"],
            "aim_lufs": mix["aim_lufs"],
            "because": mix["because"],
            "planned_lufs": outcome["lufs"],
            "planned_true_peak_dbtp": outcome["true_peak_dbtp"],
            "planned_voice_over_lu": outcome["voice_over_lu"],
            "ducking": body["ducking"],
            "sends": mix["sends"],
            "kept_out": mix["kept_out"],
        }
    return found


def _named(takes: Takes) -> list[tuple[str, Take | None]]:
    names = {
        "quiet": "rest",
        "in_use": "in-use",
        "talk": "talk",
        "loud": "loud",
        "soft": "soft",
        "passage": "passage",
    }
    return [(name, takes.of(purpose)) for name, purpose in names.items()]


def _body(reading: Reading | None) -> dict[str, Any]:
    return dict(reading.body) if reading is not None else {}


def _rig(ctx: RigContext) -> dict[str, Any]:
    """The rig with everything it is made of, and its gain plan."""
    plan = ctx.session.get(Derivation, (ctx.rig.id, "gain"))
    names = (
        "name",
        "distance_cm",
        "angle_deg",
        "height_cm",
        "pop_screen",
        "foam",
        "shock_mount",
        "support",
        "rate_hz",
        "bits",
        "gain_db",
        "dial",
        "pad_on",
        "trim_db",
        "program_db",
    )
    return {
        **{name: getattr(ctx.rig, name) for name in names},
        "aim_dbfs": [ctx.rig.aim_low_dbfs, ctx.rig.aim_high_dbfs],
        "microphone": convert(MicrophoneFields, ctx.rig.microphone).model_dump(),
        "interface": convert(InterfaceFields, ctx.rig.interface).model_dump(),
        "room": convert(RoomFields, ctx.rig.room).model_dump(),
        "preamp": plan.body if plan else None,
    }


def _switch(row: StageRow) -> Switch:
    return Switch(row.runs, row.derived, row.pinned, row.because)


def _stage(ctx: RigContext, key: str, row: StageRow) -> dict[str, Any]:
    kind = kind_of(key)
    switch = _switch(row)
    if kind.banded:
        stage = stage_json(kind.kind, switch, {}, dict(row.data))
        bands = [
            band.value | {"pinned": band.pinned, "because": band.because, "derived": band.derived}
            for band in band_rows(ctx, key)
        ]
        because = row.because if is_further(key) else _what_remains(ctx)
        stage["settings"]["bands"] = bands_setting(bands, because)
        return stage
    settings = ctx.session.scalars(
        select(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.stage == key)
    )
    values = {setting.name: _setting(setting) for setting in settings}
    ordered = {p.name: values[p.name] for p in kind.parameters if p.name in values}
    return stage_json(kind.kind, switch, ordered, dict(row.data))


def _what_remains(ctx: RigContext) -> str:
    tone = ctx.session.get_one(Derivation, (ctx.rig.id, "tone")).body
    if "untold" in tone:
        return str(tone["untold"])
    return (
        f"{tone['residual_rms_db']:.1f} dB rms remain from {tone['low_hz']} Hz to"
        f" {tone['high_hz']} Hz. {tone['left_alone']}"
    )


def _setting(row: SettingRow) -> dict[str, Any]:
    return {
        "value": row.value,
        "unit": row.unit,
        "derived": row.derived,
        "pinned": row.pinned,
        "because": row.because,
    }


def export_response(ws: Workshop, what: str) -> tuple[str, str]:
    """A file name and two-column text: the microphone's response as it was handed out, or the
    correction as it is fitted."""
    with ws.sessions.begin() as session:
        ctx = in_hand(ws, session)
        rig = ctx.rig
        if what == "microphone":
            row = (
                session.get(Response, rig.microphone.response_id)
                if rig.microphone.response_id is not None
                else None
            )
            if row is None:
                raise Refused(
                    "no-response", "This microphone has no response file yet. Import one first."
                )
            return f"{rig.microphone.name}.txt", response_text(
                row.rows, title=f"{rig.microphone.name}: response"
            )
        specs = chain_rows.tone_specs(ctx)
        if specs is None:
            raise Refused("no-chain", "There is no correction yet: Tone has to be fitted first.")
        rows = chain_rows.correction_rows(specs, rig.rate_hz)
        return "correction.txt", response_text(
            rows, title=f"Correction for {rig.microphone.name} through {rig.interface.name}"
        )


def export_equalizer(ws: Workshop, what: str, rate_hz: int) -> tuple[str, bytes, str]:
    """A file name, its bytes and their type: the equalizer's biquads as CSV, or its
    minimum-phase impulse response as WAV."""
    from obsidian_wren.formats.equalizer import biquads_csv, impulse_wav

    with ws.sessions.begin() as session:
        ctx = in_hand(ws, session)
        bands = [chain_rows.band_of(row.value) for row in band_rows(ctx)]
        fitted = ctx.session.get(Derivation, (ctx.rig.id, "tone")) is not None
    if not fitted:
        raise Refused("no-chain", "There is no equalizer yet: Tone has to be fitted first.")
    if what == "biquads":
        return "equalizer.csv", biquads_csv(bands, rate_hz=rate_hz).encode(), "text/csv"
    return "equalizer.wav", impulse_wav(bands, rate_hz=rate_hz), "audio/wav"
