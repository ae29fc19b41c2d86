"""A brought calibration comes over: what travels is taken as it is, what belongs to the place is
derived from this rig's takes."""

from __future__ import annotations

from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.sequence import completed, default_sequence, next_key
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CarriedMix, SituationFile
from obsidian_wren.formats.preferences import BandValue, CarriedPreferences, HeldMix
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.deriving import derive_after_change
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.brought import require_brought
from obsidian_wren.service.carry.decisions import MOST_SITUATIONS, situations
from obsidian_wren.service.carry.portables import Portable
from obsidian_wren.service.carry.versions import keep_version
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import BroughtFile, SettingRow, Situation, StageRow, TargetRow

_AT_MOST_BANDS = 16
_CUT_DB, _BOOST_DB = -12.0, 9.0


def bring_over(app: AppContext) -> None:
    """Put what travels of the brought file in force, in one change, and keep it as a version.
    Raises Refused."""
    refuse_during_take(app)
    app.work(_bring_over)
    app.changed()


def _bring_over(app: AppContext) -> None:
    with app.sessions() as session:
        name = require_brought(in_hand(app, session)).name
    with change(app, _("Brought over {name}", name=name)) as session:
        ctx = in_hand(app, session)
        comes = require_brought(ctx).comes
        if chain_is_whole(ctx):
            keep_version(ctx, name=_("Before {name}", name=name))
        ctx.rig.preferences = _preferences(session, comes.preferences, name)
        _sequence(ctx, comes)
        _characters(ctx, comes, name)
        _mixes(session, comes.mixes)
        _situations(ctx, comes.situations, name)
        session.execute(delete(BroughtFile))
        session.flush()
        derive_after_change(ctx, refit=True)
        keep_version(ctx, name=name)


def _preferences(session: Session, preferences: CarriedPreferences, name: str) -> dict[str, Any]:
    body: dict[str, Any] = preferences.model_dump(
        exclude_none=True, exclude_defaults=True, exclude={"target"}
    )
    target = preferences.target
    if target is None or target.kind == "by pitch":
        return body
    if target.kind == "imported":
        if not target.rows:
            return body
        row = TargetRow(name=(target.name or name)[:120], rows=[r[:2] for r in target.rows])
        session.add(row)
        session.flush()
        return {**body, "target": {"kind": "imported", "id": row.id}}
    if target.kind == "reference take":
        # The take stays where it was made; what it asked for is fitted by the pitch.
        return body
    return {**body, "target": {"kind": target.kind}}


def _situations(ctx: RigContext, carried: list[SituationFile], name: str) -> None:
    """Situations by names that are not there yet; what they give is derived where they are used."""
    there = situations(ctx)
    known = {row.name.casefold() for row in there}
    for each in carried[: max(0, MOST_SITUATIONS - len(there))]:
        if each.name.casefold() in known:
            continue
        known.add(each.name.casefold())
        body = each.model_dump(
            include={"switches", "pins", "bands", "listeners"}, exclude_none=True
        )
        mixes = {
            key: held
            for key, mix in each.mixes.items()
            if (held := mix.model_dump(exclude_none=True, exclude_defaults=True))
        }
        preferences = _preferences(ctx.session, each.preferences, name)
        ctx.session.add(
            Situation(
                rig_id=ctx.rig.id,
                name=each.name,
                follows=None,
                decisions={**body, "mixes": mixes, "preferences": preferences},
            )
        )


def _sequence(ctx: RigContext, comes: Portable) -> None:
    """The person's sequence, with the further stages that it names."""
    order = list(completed(comes.sequence))
    ctx.rig.stage_order = [] if order == list(default_sequence()) else order


def _characters(ctx: RigContext, comes: Portable, name: str) -> None:
    because = _("Brought over from {name}.", name=name)
    there = order_of(ctx.rig)
    for key, values in comes.character.items():
        if key in there:
            for parameter, value in values.items():
                _pin(ctx, key, parameter, value, because)
    for key, on in comes.switches.items():
        if key in there:
            ctx.session.merge(
                StageRow(
                    rig_id=ctx.rig.id,
                    kind=key,
                    runs=on,
                    derived=on,
                    pinned=True,
                    because=because,
                    data=_data(ctx, key),
                )
            )
    for key, bands in comes.bands.items():
        if key in there:
            own_bands(ctx, key, bands, because)
    if comes.touched:
        further = further_equalizer(ctx)
        if further is not None:
            own_bands(ctx, further, _differences(comes), because)
    ctx.session.flush()


def _data(ctx: RigContext, key: str) -> dict[str, Any]:
    row = ctx.session.get(StageRow, (ctx.rig.id, key))
    return {} if row is None else row.data


def _pin(ctx: RigContext, key: str, name: str, value: float, because: str) -> None:
    row = ctx.session.scalars(
        select(SettingRow).where(
            SettingRow.rig_id == ctx.rig.id, SettingRow.stage == key, SettingRow.name == name
        )
    ).first()
    if row is None:
        row = SettingRow(rig_id=ctx.rig.id, stage=key, name=name, derived=value)
        row.unit = kind_of(key).parameter(name).unit
        ctx.session.add(row)
    elif row.value == value:
        # It is derived so here too: then it needs no holding.
        return
    row.value, row.pinned, row.because = value, True, because


def further_equalizer(ctx: RigContext) -> str | None:
    """Add a further equalizer behind the last and give its key, None where there can be no more."""
    order = list(order_of(ctx.rig))
    key = next_key("equalizer", order)
    if key is None:
        return None
    last = max(at for at, other in enumerate(order) if kind_of(other).kind == "equalizer")
    order.insert(last + 1, key)
    ctx.rig.stage_order = order
    return key


def _differences(comes: Portable) -> list[BandValue]:
    """Bands that do to a fit here what the person's hand did to the fit there."""
    found: list[BandValue] = []
    for value, was in comes.touched:
        if was is not None and (was.shape, was.frequency_hz, was.q) == (
            value.shape,
            value.frequency_hz,
            value.q,
        ):
            found.append(_gained(value, value.gain_db - was.gain_db))
            continue
        found.append(value)
        if was is not None:
            found.append(_gained(was, -was.gain_db))
    return [band for band in found if band.gain_db != 0.0][:_AT_MOST_BANDS]


def _gained(band: BandValue, gain_db: float) -> BandValue:
    return band.model_copy(update={"gain_db": min(max(gain_db, _CUT_DB), _BOOST_DB)})


def own_bands(ctx: RigContext, key: str, bands: list[BandValue], because: str) -> None:
    """Make bands the person's own in a further equalizer, in the place of those that were there."""
    ctx.session.execute(
        delete(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.stage == key)
    )
    for number, band in enumerate(bands[:_AT_MOST_BANDS], 1):
        value = band.model_dump()
        ctx.session.add(
            SettingRow(
                rig_id=ctx.rig.id,
                stage=key,
                name=f"band-{number}",
                value=value,
                unit="dB",
                derived={**value, "gain_db": 0.0},
                pinned=True,
                because=because,
            )
        )


def _mixes(session: Session, mixes: list[CarriedMix]) -> None:
    """What was held of a mix goes to the listener of the same kind, of the same name first."""
    known = {row.key for row in scene.sources(session)}
    left = list(mixes)
    for row in scene.destinations(session):
        alike = [mix for mix in left if mix.kind == row.kind]
        mix = next((one for one in alike if one.listener == row.name), alike[0] if alike else None)
        if mix is None:
            continue
        left.remove(mix)
        held = (mix.held or HeldMix()).model_dump(exclude_none=True, exclude_defaults=True)
        for name in ("under_lu", "duck_db"):
            kept = {key: value for key, value in held.pop(name, {}).items() if key in known}
            if kept:
                held[name] = kept
        row.pins = held
        row.sends = None if mix.gets is None else [send for send in mix.gets if send[0] in known]
