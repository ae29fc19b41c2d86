"""What was read and derived, as each step shows it, with what is said of it."""

from __future__ import annotations

import math
import operator
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, TypeVar

from sqlalchemy import func, select

from obsidian_wren.core.derive import verdicts
from obsidian_wren.core.derive.aims import MOST_BANDS, Aims
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.taken import taken_facts
from obsidian_wren.service.calibration.setting_rows import stage_rows
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Derivation, Reading, SettingRow

View = TypeVar("View")


def derivation(ctx: RigContext, step: str, model: type[View], **more: Any) -> View | None:
    """A kept answer as the page shows it; ``more`` goes beside it. None before it is derived."""
    row = ctx.session.get(Derivation, (ctx.rig.id, step))
    return None if row is None else convert(model, row.body, **more)


def _reading(ctx: RigContext, purpose: str) -> dict[str, Any] | None:
    take = ctx.takes.of(purpose)
    row = ctx.session.get(Reading, take.id) if take is not None else None
    return None if row is None else row.body


def room(ctx: RigContext, purpose: str) -> views.QuietView | None:
    """The reading of a room take, with what its trend and its hum mean."""
    body = _reading(ctx, purpose)
    if body is None:
        return None
    shown = views.QuietView.model_validate(body)
    trend, hum = shown.trend, shown.hum
    shown.trend = replace(
        trend,
        sentence=verdicts.trend_sentence(trend.db_per_minute, trend.error_db_per_minute),
    )
    shown.hum_sentence = verdicts.hum_sentence(
        None if hum is None else len(hum.harmonics), 0.0 if hum is None else hum.drift_hz
    )
    return shown


def talk(ctx: RigContext, purpose: str) -> views.TalkView | None:
    """The reading of a voice take."""
    body = _reading(ctx, purpose)
    return None if body is None else views.TalkView.model_validate(body)


def _with_worth(causes: list[views.CauseView]) -> list[views.CauseView]:
    return [
        replace(cause, worth=verdicts.worth(lowers_db=cause.lowers_db, spoils=cause.spoils))
        for cause in causes
    ]


def causes(ctx: RigContext, *, stale: str | None) -> views.CausesView | None:
    """What makes the floor, each with what it is worth to fix."""
    found = derivation(ctx, "causes", views.CausesView, stale=stale)
    if found is not None:
        found.causes = _with_worth(found.causes)
    return found


def voice_causes(ctx: RigContext) -> list[views.CauseView]:
    """What is wrong with the voice as it was taken."""
    row = ctx.session.get(Derivation, (ctx.rig.id, "voice-causes"))
    found = [] if row is None else [convert(views.CauseView, cause) for cause in row.body["causes"]]
    return _with_worth(found)


def clean(ctx: RigContext, *, stale: str | None) -> views.CleanView | None:
    """The evidence of Clean, with what noise reduction leaves and takes."""
    found = derivation(ctx, "clean", views.CleanView, stale=stale)
    if found is not None and found.noise_reduction is not None:
        found.facts = verdicts.noise_facts(found.noise_reduction)
    if found is not None and found.learned is not None:
        row = stage_rows(ctx).get("learned")
        found.moving_facts = verdicts.moving_facts(
            found.learned, on=row is not None and bool(row.runs)
        )
    if found is not None:
        found.taken = {
            stage: replace(taken, facts=taken_facts(taken)) for stage, taken in found.taken.items()
        }
    return found


def tone(ctx: RigContext) -> views.ToneView | None:
    """The evidence of Tone, with the error that remains."""
    row = ctx.session.get(Derivation, (ctx.rig.id, "tone"))
    # What an older rule kept has other evidence; it is derived anew.
    found = (
        derivation(ctx, "tone", views.ToneView)
        if row is not None and "uncertainty_db" in row.body
        else None
    )
    if found is None:
        return None
    bands = ctx.session.scalar(
        select(func.count())
        .select_from(SettingRow)
        .where(SettingRow.rig_id == ctx.rig.id, SettingRow.stage == "equalizer")
    )
    found.remaining = verdicts.remaining_error(
        rms_db=found.residual_rms_db,
        uncertainty_db=_mean_over(found.uncertainty_db, found.trust),
        worst_db=found.worst_db,
        low_hz=found.low_hz,
        high_hz=found.high_hz,
        voiced_s=found.voiced_s,
        passages=found.passages,
        bands=bands or 0,
        most_bands=MOST_BANDS,
        left_alone=found.left_alone,
    )
    return found


def _mean_over(values: Sequence[float], trust: Sequence[float]) -> float:
    return float(sum(map(operator.mul, values, trust))) / max(sum(trust), 1e-9)


def _or_nan(level: float | None) -> float:
    """JSON holds no infinities: what is none there was not finite."""
    return math.nan if level is None else level


def delivery(ctx: RigContext, *, stale: str | None) -> views.DeliveryView | None:
    """Where the treated voice lands, with what is said of it."""
    found = derivation(ctx, "send", views.DeliveryView, stale=stale)
    if found is None:
        return None
    low, high = found.aim_peaks_dbfs
    aims = Aims(
        loudness_lufs=found.aim_lufs,
        tolerance_lu=found.tolerance_lu,
        peaks_dbfs=(low, high),
        ceiling_dbtp=found.aim_ceiling_dbtp,
        range_lu=found.aim_range_lu,
        most_lift_db=found.aim_lift_db,
    )
    landing = Landing(
        loudness_lufs=found.planned_lufs,
        true_peak_dbtp=_or_nan(found.planned_true_peak_dbtp),
        peaks_dbfs=_or_nan(found.planned_peaks_dbfs),
        range_lu=found.planned_range_lu,
        floor_dbfs_a=_or_nan(found.planned_floor_dbfs_a),
        beside_voice_dbfs_a=_or_nan(found.planned_beside_voice_dbfs_a),
        lift_db=_or_nan(found.lift_db),
        limited_db=_or_nan(found.limited_db),
    )
    found.facts = verdicts.steady_facts(landing, aims, raw_lufs=found.raw_lufs)
    return found
