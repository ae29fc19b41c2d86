"""The settings and stages in force, as they are kept. Nothing here computes."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.derive.regions import heard_at_hz, region
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation, SettingRow, StageRow


def setting_row(ctx: RigContext, stage: str, name: str) -> SettingRow | None:
    """One setting, None while it is not derived."""
    return ctx.session.scalars(
        select(SettingRow).where(
            SettingRow.rig_id == ctx.rig.id, SettingRow.stage == stage, SettingRow.name == name
        )
    ).first()


def band_rows(ctx: RigContext, stage: str = "equalizer") -> list[SettingRow]:
    """An equalizer's bands, lowest first."""
    rows = ctx.session.scalars(
        select(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.stage == stage)
    ).all()
    return lowest_first(rows)


def lowest_first(bands: Iterable[SettingRow]) -> list[SettingRow]:
    """Bands by their frequency."""
    return sorted(bands, key=lambda row: (row.value["frequency_hz"], row.id))


def setting_title(row: SettingRow) -> str:
    """The trade's word for a setting."""
    return (
        region(heard_at_hz(row.value["shape"], float(row.value["frequency_hz"])))
        if kind_of(row.stage).banded
        else kind_of(row.stage).parameter(row.name).title
    )


def stage_rows(ctx: RigContext) -> dict[str, StageRow]:
    """The stages that are derived, by kind."""
    rows = ctx.session.scalars(select(StageRow).where(StageRow.rig_id == ctx.rig.id))
    return {row.kind: row for row in rows}


def chain_is_whole(ctx: RigContext) -> bool:
    """Whether the chain was derived as a whole, so that it can run."""
    return ctx.session.get(Derivation, (ctx.rig.id, "send")) is not None
