"""The calibration of a rig as an open file: what was measured, what was derived, and why."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.derive.stage_plan import Switch
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import FEED_NAME
from obsidian_wren.formats.calibration_writing import (
    bands_setting,
    calibration_json,
    is_told,
    stage_json,
)
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration import chain_order, chain_rows
from obsidian_wren.service.calibration.setting_rows import band_rows, stage_rows
from obsidian_wren.service.carry.decisions import decisions_of, differing, situations
from obsidian_wren.service.carry.levels import levels_part
from obsidian_wren.service.carry.proof import check_part, proof_part
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.fields import (
    InterfaceFields,
    MicrophoneFields,
    RoomFields,
)
from obsidian_wren.service.rig.take_queries import Takes, current_takes
from obsidian_wren.store.models import (
    Derivation,
    Reading,
    SettingRow,
    StageRow,
    Take,
    TargetRow,
)


def whole_calibration(ctx: RigContext) -> dict[str, Any]:
    """The whole calibration file as plain JSON. Raises Refused before there is a chain."""
    body = settings_file(ctx)
    body["readings"] |= check_part(ctx) | levels_part(ctx)
    return {**body, "situations": _situations(ctx), "proof": proof_part(ctx)}


def _situations(ctx: RigContext) -> list[dict[str, Any]]:
    now = decisions_of(ctx)
    return [
        {
            "name": row.name,
            **row.decisions,
            "preferences": _carried(ctx, row.decisions["preferences"]),
            "differs": [
                f"{each.title}: {each.second}" for each in differing(ctx, now, row.decisions)
            ],
        }
        for row in situations(ctx)
    ]


def settings_file(ctx: RigContext) -> dict[str, Any]:
    """The file without what was proved of it, and without what a check compares with. Raises
    Refused before there is a chain."""
    session, rig = ctx.session, ctx.rig
    if chain_rows.chain_specs(ctx) is None:
        raise Refused("no-chain", _("There is no calibration yet: fit the tone first."))
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
    return {
        **whole,
        "preferences": _carried(ctx, rig.preferences),
        "sequence": list(rig.stage_order),
    }


def _carried(ctx: RigContext, held: dict[str, Any]) -> dict[str, Any]:
    """What the person wants of the voice, an imported target with its rows."""
    preferences = dict(held)
    target = preferences.get("target") or {}
    row = ctx.session.get(TargetRow, target.get("id") or 0)
    if target.get("kind") == "imported" and row is not None:
        preferences["target"] = {"kind": "imported", "name": row.name, "rows": row.rows}
    return preferences


def _feeds(ctx: RigContext) -> dict[str, dict[str, Any]]:
    """Every mix that is derived, by the name that programs pick, or by the listener's where
    there is nothing to pick."""
    kept = mix_rows.kept_mixes(ctx.session, ctx.rig)
    found = {}
    for row in scene.destinations(ctx.session):
        mix = kept.listeners.get(row.key)
        if mix is None:
            continue
        name, outcome = scene.feed_of(row) or row.name, to_jsonable(mix.outcome)
        found[name] = {
            "name": name,
            "listener": row.name,
            "kind": row.kind,
            "channels": mix.channels,
            "ceiling_dbtp": mix.ceiling_dbtp,
            "aim_lufs": mix.aim_lufs,
            "because": mix.because,
            "planned_lufs": outcome["lufs"],
            "planned_true_peak_dbtp": outcome["true_peak_dbtp"],
            "planned_voice_over_lu": outcome["voice_over_lu"],
            "ducking": to_jsonable(kept.ducking),
            "sends": to_jsonable(mix.sends),
            "held": dict(row.pins),
            "gets": row.sends,
            "kept_out": to_jsonable(mix.kept_out),
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
        stage = {"key": key} | stage_json(kind.kind, switch, {}, dict(row.data))
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
    return {"key": key} | stage_json(kind.kind, switch, ordered, dict(row.data))


def _what_remains(ctx: RigContext) -> str:
    tone = ctx.session.get_one(Derivation, (ctx.rig.id, "tone")).body
    if "untold" in tone:
        return str(tone["untold"])
    return _(
        "{residual_rms_db:.1f} dB rms remain from {low_hz} Hz to {high_hz} Hz. {left_alone}",
        residual_rms_db=tone["residual_rms_db"],
        low_hz=tone["low_hz"],
        high_hz=tone["high_hz"],
        left_alone=tone["left_alone"],
    )


def _setting(row: SettingRow) -> dict[str, Any]:
    return {
        "value": row.value,
        "unit": row.unit,
        "derived": row.derived,
        "pinned": row.pinned,
        "because": row.because,
    }
