"""What the Prove step shows: what can be compared, the series, the checks."""

from __future__ import annotations

from typing import Any, cast

from obsidian_wren.core.chain.sequence import title_of
from obsidian_wren.core.prove.series import Tally, tally
from obsidian_wren.core.prove.series_words import verdict
from obsidian_wren.service import prove
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.page import views
from obsidian_wren.service.page.chain import stages
from obsidian_wren.service.prove.kept import kept_checks, kept_series
from obsidian_wren.service.prove.titles import WITHOUT, series_title, sound_names, stage_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Series, Take

_TITLES = {
    "noise_floor_dbfs": "Noise floor",
    "noise_floor_dbfs_a": "Noise floor, A-weighted",
    "active_level_dbfs": "Level of your voice",
    "snr_db": "Signal-to-noise ratio",
    "peaks_dbfs": "Normal peaks",
    "range_db": "Range of your voice",
    "hum_dbfs": "Mains hum",
    "late_db": "Room after a word",
    "decay_s": "Decay of the room",
    "clipped": "Clipped places",
    "tone_db": "Tone, all bands",
}


def pairs(ctx: RigContext) -> list[views.PairView]:
    """What can be compared: the treated voice with the raw one, and without each stage that
    runs."""
    if not chain_is_whole(ctx):
        return []
    found = [views.PairView(title=series_title("raw"), second="raw")]
    for view in stages(ctx):
        if view.on:
            second = f"{WITHOUT}{view.key}"
            found.append(views.PairView(title=series_title(second), second=second))
    return found


def series(ctx: RigContext) -> views.RunningSeriesView | None:
    """The series that is answered now."""
    from obsidian_wren.core.prove.pair import HEARD_S
    from obsidian_wren.service.prove import blind

    row = blind.running_series(ctx)
    if row is None:
        return None
    loudness = blind.pair_of(ctx, row).loudness_lufs
    first, second = sound_names(row.second)
    return views.RunningSeriesView(
        id=row.id,
        kind=cast(views.SeriesKind, row.kind),
        title=series_title(row.second),
        question=(
            "Which would you rather hear?"
            if row.kind == "prefer"
            else f"Which of the two is {first}, the other being {second}?"
        ),
        round=len(row.answers),
        rounds=len(row.order),
        seconds=HEARD_S,
        loudness_lufs=round(loudness[0], 1),
        apart_lu=round(abs(loudness[0] - loudness[1]), 2),
    )


def ended(ctx: RigContext) -> list[views.SeriesView]:
    """The series that were heard to their end, the newest first."""
    return [_ended(ctx, row) for row in kept_series(ctx)]


def _ended(ctx: RigContext, row: Series) -> views.SeriesView:
    kind = cast(views.SeriesKind, row.kind)
    found = tally(row.order, cast(Any, row.answers), kind=kind)
    first, second = sound_names(row.second)
    stage = stage_of(row.second)
    return views.SeriesView(
        id=row.id,
        at=row.at,
        kind=kind,
        title=series_title(row.second),
        rounds=found.rounds,
        first=found.first,
        same=found.same,
        chance_low=found.chance_low,
        chance_high=found.chance_high,
        heard=found.heard,
        sentence=verdict(found, kind=kind, first=first, second=second),
        first_name=first,
        stage=stage,
        leave_off=None if stage is None else _leave_off(ctx, row, stage, found),
    )


def _leave_off(ctx: RigContext, row: Series, stage: str, found: Tally) -> str | None:
    """What leaving a stage off would give, where it is not heard or not liked."""
    if found.heard and found.first > found.rounds / 2.0:
        return None
    if stage not in {view.key for view in stages(ctx) if view.on and view.switchable}:
        return None
    less = f", {row.saved_ms:.1f} ms less delay" if row.saved_ms >= _WORTH_MS else ""
    return f"Leave the {title_of(stage).lower()} off{less}"


_WORTH_MS = 0.05


def checks(ctx: RigContext) -> list[views.CheckedView]:
    """The checks of this rig, the newest last."""
    return [_checked(take, reading.body) for take, reading in kept_checks(ctx)]


def _checked(take: Take, body: dict[str, Any]) -> views.CheckedView:
    purposes = prove.purposes_kept([cause["code"] for cause in body["causes"]])
    return views.CheckedView(
        take_id=take.id,
        at=take.taken_at,
        against=body["against"],
        drifted=body["drifted"],
        causes=[views.DriftCauseView.model_validate(cause) for cause in body["causes"]],
        readings=[
            views.MovedView(
                name=name,
                title=_TITLES.get(name, name),
                **{key: row[key] for key in ("then", "now", "unit", "moved")},
            )
            for name, row in body["readings"].items()
        ],
        bands=[views.DriftBandView.model_validate(band) for band in body["bands"]],
        keeps=" and ".join(_KEPT[purpose] for purpose in purposes) or None,
    )


_KEPT = {"rest": "the room", "talk": "your talk", "passage": "the passage"}
