"""The stages of the chain and their settings."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.sequence import is_further, title_of
from obsidian_wren.core.derive.regions import heard_at_hz, region_names
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration import preferences, setting_rows
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import (
    Derivation,
    SettingRow,
    StageRow,
)

_NEW = _("It is new in this version of the program: recalculate to derive it.")


def stages(ctx: RigContext) -> list[views.StageView]:
    """The stages in their sequence. One that came with a newer version is off until it is
    derived."""
    rows, whole = setting_rows.stage_rows(ctx), setting_rows.chain_is_whole(ctx)
    shown = [key for key in order_of(ctx.rig) if key in rows or whole]
    return [_stage(key, rows.get(key)) for key in shown]


def _stage(key: str, row: StageRow | None) -> views.StageView:
    kind = kind_of(key)
    return convert(
        views.StageView,
        kind,
        key=key,
        title=title_of(key),
        on=row is not None and row.runs,
        derived_on=row is not None and row.derived,
        pinned=row is not None and row.pinned,
        because=_NEW if row is None else row.because,
        is_new=row is None,
        further=is_further(key),
        switchable=kind.stays_on is None,
    )


def repeatable() -> list[views.KindName]:
    """The kinds that a person may add further stages of."""
    return [convert(views.KindName, k) for k in KINDS.values() if k.repeats]


def settings(ctx: RigContext) -> list[views.SettingView]:
    """Every setting, stage by stage."""
    sequence = order_of(ctx.rig)
    everything = ctx.session.scalars(select(SettingRow).where(SettingRow.rig_id == ctx.rig.id))
    rows = [row for row in everything if row.stage in sequence]

    def place(row: SettingRow) -> tuple[float, ...]:
        kind = kind_of(row.stage)
        names = [parameter.name for parameter in kind.parameters]
        within = row.value["frequency_hz"] if kind.banded else names.index(row.name)
        return sequence.index(row.stage), within, row.id

    titles = _band_titles(rows)
    tone = ctx.session.get(Derivation, (ctx.rig.id, "tone"))
    sure = iter(tone.body.get("sure_db", []) if tone is not None else [])
    return [
        _setting(row, titles.get(row.id), next(sure, None) if row.stage == "equalizer" else None)
        for row in sorted(rows, key=place)
    ]


def _band_titles(rows: Sequence[SettingRow]) -> dict[int, str]:
    """What each band is called, by its row: no name twice in one equalizer."""
    found = {}
    for stage in {row.stage for row in rows if kind_of(row.stage).banded}:
        bands = [row for row in rows if row.stage == stage]
        names = region_names(
            [heard_at_hz(row.value["shape"], float(row.value["frequency_hz"])) for row in bands]
        )
        found.update({row.id: name for row, name in zip(bands, names, strict=True)})
    return found


def _setting(row: SettingRow, title: str | None, sure_db: float | None) -> views.SettingView:
    kind = kind_of(row.stage)
    is_band = kind.banded
    known = None if is_band else kind.parameter(row.name)
    return convert(
        views.SettingView,
        row,
        title=title or setting_rows.setting_title(row),
        value=None if is_band else row.value,
        derived=None if is_band else row.derived,
        low=known.low if known else None,
        high=known.high if known else None,
        step=known.step if known else None,
        digits=known.digits if known else 1,
        sure_db=sure_db,
        band=preferences.BandValue.model_construct(**row.value) if is_band else None,
        derived_band=preferences.BandValue.model_construct(**row.derived) if is_band else None,
    )
