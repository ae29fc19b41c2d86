"""What a person decided of a calibration, apart from what was measured: preferences, switches,
pins, who is in use. A situation is a set of them under a name. Nothing here computes.

``{"preferences": {…}, "switches": {stage: on}, "pins": {stage: {name: value}}, "bands": {stage:
[band, …]}, "listeners": {key: in use}, "mixes": {key: {…}}}``
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.sequence import title_of, with_stage
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.setting_rows import stage_rows
from obsidian_wren.service.carry.rows import stands_on
from obsidian_wren.service.changes.record import State, state_of
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import SettingRow, Situation, TargetRow

Decisions = dict[str, Any]
MOST_SITUATIONS = 12
# A band that is put in gets a name that no fit gives.
_BAND = "held-{number}"
# What a calibration stands on, of all that a person decides.
_STANDS_ON = ("response", "target", "microphone", "interface", "room", "taper")


@dataclass
class Following:
    """What follows a listener by itself now: the situation that is used for it, and the one before,
    by id; whether the person holds it off for now; and what it waits for."""

    held_off: bool = False
    using: int | None = None
    before: int | None = None
    waits: str | None = None


def decisions_of(ctx: RigContext) -> Decisions:
    """What is decided now."""
    pins: dict[str, dict[str, Any]] = {}
    bands: dict[str, list[Any]] = {}
    for row in ctx.session.scalars(
        select(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.pinned.is_(True))
    ):
        if kind_of(row.stage).banded:
            bands.setdefault(row.stage, []).append(row.value)
        else:
            pins.setdefault(row.stage, {})[row.name] = row.value
    people = scene.destinations(ctx.session)
    return {
        "preferences": dict(ctx.rig.preferences),
        "switches": {key: row.runs for key, row in stage_rows(ctx).items() if row.pinned},
        "pins": pins,
        "bands": {stage: sorted(held, key=_place) for stage, held in bands.items()},
        "listeners": {row.key: row.on for row in people},
        "mixes": {row.key: dict(row.pins) for row in people if row.pins},
    }


def _place(band: dict[str, Any]) -> tuple[float, str]:
    return band["frequency_hz"], json.dumps(band, sort_keys=True)


def situations(ctx: RigContext) -> list[Situation]:
    """The situations of the rig in hand, by the order in which they were made."""
    return list(
        ctx.session.scalars(
            select(Situation).where(Situation.rig_id == ctx.rig.id).order_by(Situation.id)
        )
    )


def in_force(ctx: RigContext) -> Situation | None:
    """The situation that everything is decided as in, None where it is as in none."""
    found = situations(ctx)
    if not found:
        return None
    now = decisions_of(ctx)
    return next((row for row in found if same(row.decisions, now)), None)


def same(first: Decisions, second: Decisions) -> bool:
    """Whether two decide alike. Listeners that only one of them knows came later."""
    ours, theirs = first["listeners"], second["listeners"]
    rest = [{k: v for k, v in each.items() if k != "listeners"} for each in (first, second)]
    return rest[0] == rest[1] and all(
        ours[key] == theirs[key] for key in ours.keys() & theirs.keys()
    )


def basis_of(ctx: RigContext) -> str:
    """All that the settings stand on beside what a situation decides, as one word: takes, the rig
    and its things, the sequence of the stages, the rules."""
    state = state_of(ctx.session)
    rig = dict(state[f"rig/{ctx.rig.id}"])
    del rig["preferences"]
    what = (
        rig,
        {key: each for key, each in state.items() if key.partition("/")[0] in _STANDS_ON},
        stands_on(ctx),
        {name: kind.version for name, kind in KINDS.items()},
    )
    return hashlib.sha256(json.dumps(what, sort_keys=True, default=str).encode()).hexdigest()


def changes_to(ctx: RigContext, wanted: Decisions) -> dict[str, tuple[Any, Any]]:
    """By the keys of ``changes/record.py``, what has to become what. Stages and listeners that are
    there no longer are passed over."""
    state = state_of(ctx.session)
    rig, order = ctx.rig.id, order_of(ctx.rig)
    after: State = dict(state)
    for key in state:
        if key.startswith((f"pin/{rig}/", f"switch/{rig}/")):
            del after[key]
    after[f"rig/{rig}"] = {**state[f"rig/{rig}"], "preferences": wanted["preferences"]}
    for stage, on in wanted["switches"].items():
        if stage in order:
            after[f"switch/{rig}/{stage}"] = on
    for stage, held in wanted["pins"].items():
        if stage in order:
            after |= {f"pin/{rig}/{stage}/{name}": value for name, value in held.items()}
    for stage, bands in wanted["bands"].items():
        if stage in order:
            after |= _bands(state, f"pin/{rig}/{stage}/", bands)
    for key, row in state.items():
        table, _slash, listener = key.partition("/")
        if table == "destination":
            after[key] = {
                **row,
                "on": wanted["listeners"].get(listener, row["on"]),
                "pins": wanted["mixes"].get(listener, {}),
            }
    keys = [*state, *(key for key in after if key not in state)]
    return {
        key: (state.get(key), after.get(key)) for key in keys if state.get(key) != after.get(key)
    }


def _bands(state: State, prefix: str, wanted: list[Any]) -> State:
    """The bands by the names that they have now, new ones by names of their own."""
    named = {key: value for key, value in state.items() if key.startswith(prefix)}
    found: State = {}
    for number, band in enumerate(wanted):
        key = next((k for k, value in named.items() if value == band and k not in found), None)
        found[key or prefix + _BAND.format(number=number)] = band
    return found


@dataclass(frozen=True)
class Differs:
    """One decision in which two differ, each as it is read."""

    title: str
    first: str
    second: str


def differing(ctx: RigContext, first: Decisions, second: Decisions) -> list[Differs]:
    """Where two decide otherwise, in the order of the job."""
    found = []
    both = [_told(ctx, each) for each in (first, second)]
    usual = _told(ctx, _NOTHING)
    for title in dict.fromkeys([*both[0], *both[1]]):
        one, other = (each.get(title, usual.get(title, _("automatic"))) for each in both)
        if one != other:
            found.append(Differs(title, one, other))
    return found


_NOTHING: Decisions = {
    "preferences": {},
    "switches": {},
    "pins": {},
    "bands": {},
    "listeners": {},
    "mixes": {},
}


def _told(ctx: RigContext, decided: Decisions) -> dict[str, str]:
    """Every decision by its title."""
    names = {row.key: row.name for row in scene.destinations(ctx.session)}
    found = {
        _("{name} in use", name=names[key]): _("yes") if on else _("no")
        for key, on in decided["listeners"].items()
        if key in names
    }
    found |= _preferences(ctx, decided["preferences"])
    for stage, on in decided["switches"].items():
        if stage.partition("-")[0] in KINDS:
            found[title_of(stage)] = _("on") if on else _("off")
    for stage, held in decided["pins"].items():
        kind = KINDS.get(stage.partition("-")[0])
        for name, value in held.items() if kind else ():
            parameter = kind_of(stage).parameter(name)
            found[with_stage(stage, parameter.title)] = f"{value:.4g} {parameter.unit}".strip()
    for stage, bands in decided["bands"].items():
        found[with_stage(stage, _("Bands"))] = "; ".join(
            _("{gain_db:+.1f} dB at {frequency_hz:.0f} Hz", **_numbers(band)) for band in bands
        )
    for key, pins in decided["mixes"].items():
        if key in names:
            found[_("Mix for {name}", name=names[key])] = _mix(pins)
    return found


def _numbers(band: Mapping[str, Any]) -> dict[str, float]:
    return {name: band[name] for name in ("gain_db", "frequency_hz")}


def _mix(pins: Mapping[str, Any]) -> str:
    return "; ".join(
        f"{_MIX[name]}: {value if isinstance(value, (int, float)) else _('by source')}"
        for name, value in pins.items()
        if name in _MIX
    )


_MIX = {
    "aim_lufs": _("loudness"),
    "ceiling_dbtp": _("ceiling"),
    "channels": _("channels"),
    "under_lu": _("under the voice"),
    "duck_db": _("ducking"),
}
_TASTE = {
    "warmth_db": _("Warmth"),
    "body_db": _("Body"),
    "clarity_db": _("Clarity"),
    "air_db": _("Air"),
    "density_db": _("Density"),
}
_AIMS = {
    "loudness_lufs": (_("Loudness"), "LUFS"),
    "tolerance_lu": (_("Tolerance"), "LU"),
    "ceiling_dbtp": (_("Ceiling"), "dBTP"),
    "range_lu": (_("Range"), "LU"),
    "most_lift_db": (_("Most lift"), "dB"),
}
_TARGETS = {
    "by pitch": _("by pitch"),
    "lower voice": _("lower voice"),
    "higher voice": _("higher voice"),
    "reference take": _("reference take"),
}


def _preferences(ctx: RigContext, held: Mapping[str, Any]) -> dict[str, str]:
    taste, aims = held.get("taste") or {}, held.get("aims") or {}
    found = {
        title: _("{db:+.1f} dB", db=taste[name]) if taste.get(name) else _("0 dB")
        for name, title in _TASTE.items()
    }
    target = held.get("target") or {}
    row = ctx.session.get(TargetRow, target.get("id") or 0)
    kind = target.get("kind", "by pitch")
    found[_("Target")] = row.name if row is not None else _TARGETS.get(kind, kind)
    found[_("Voice shaped")] = f"{held.get('shape_percent') or 0:g} %"
    for name, (title, unit) in _AIMS.items():
        if name in aims:
            found[title] = f"{aims[name]:g} {unit}"
    if "peaks_dbfs" in aims:
        low, high = aims["peaks_dbfs"]
        found[_("Peaks")] = _("{low:g} to {high:g} dBFS", low=low, high=high)
    if "cut_weight" in held:
        found[_("Weight of clipped words")] = f"{held['cut_weight']:g}"
    return found
