"""What the Prove step shows: what can be compared, the series, the versions."""

from __future__ import annotations

from typing import Any, cast

from obsidian_wren.core.chain.sequence import title_of
from obsidian_wren.core.prove.series import HEARD_S, Tally, tally
from obsidian_wren.core.prove.series_words import verdict
from obsidian_wren.core.wording import _, within
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.brought import brought_file
from obsidian_wren.service.carry.conversation import conversation
from obsidian_wren.service.carry.fingerprint import fingerprint
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.page.chain import stages
from obsidian_wren.service.prove import titles
from obsidian_wren.service.prove.kept import kept_series, running_series
from obsidian_wren.service.prove.titles import stage_of
from obsidian_wren.service.prove.two import ComparedMicrophones, compare_with_rig
from obsidian_wren.service.prove.two_takes import beside_of, comparable_rigs, names_of
from obsidian_wren.service.prove.versions import kept_versions, version_title
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import BroughtFile, Reading, Rig, Series


def pairs(ctx: RigContext) -> list[views.PairView]:
    """What can be compared: the treated voice with the raw one, without each stage that runs, and
    as the last versions made it; two microphones."""
    if not chain_is_whole(ctx):
        return []
    found = [_pair(titles.RAW, titles.raw_names())]
    found += [
        _pair(f"{titles.WITHOUT}{view.key}", titles.without_names(view.key))
        for view in stages(ctx)
        if view.on
    ]
    now = fingerprint(ctx)
    for row in kept_versions(ctx)[:_VERSIONS]:
        if row.fingerprint != now:
            found.append(
                _pair(f"{titles.VERSION}{row.id}", titles.version_names(version_title(row)))
            )
    both = ctx.takes.of("both")
    if both is not None:
        names = titles.microphone_names(*names_of(ctx, both))
        found.append(_pair(f"{titles.BOTH}{both.id}", names))
    return found


_VERSIONS = 5


def _pair(second: str, names: titles.PairNames) -> views.PairView:
    return views.PairView(title=names.title, second=second, first=names.first)


def series(ctx: RigContext) -> views.RunningSeriesView | None:
    """The series that is answered now."""
    row = running_series(ctx)
    if row is None:
        return None
    loudness = row.loudness_lufs
    names = titles.kept_names(row.second, row.names)
    return views.RunningSeriesView(
        id=row.id,
        kind=cast(views.SeriesKind, row.kind),
        title=names.title,
        question=(
            _("Which would you rather hear?")
            if row.kind == "prefer"
            else _(
                "Which of the two is {first}, the other being {second}?",
                first=names.first,
                second=names.second,
            )
        ),
        round=len(row.answers),
        rounds=len(row.order),
        seconds=HEARD_S,
        loudness_lufs=None if loudness is None else round(loudness[0], 1),
        apart_lu=None if loudness is None else round(abs(loudness[0] - loudness[1]), 2),
    )


def ended(ctx: RigContext) -> list[views.SeriesView]:
    """The series that were heard to their end, the newest first."""
    return [_ended(ctx, row) for row in kept_series(ctx)]


def _ended(ctx: RigContext, row: Series) -> views.SeriesView:
    kind = cast(views.SeriesKind, row.kind)
    found = tally(row.order, cast(Any, row.answers), kind=kind)
    names = titles.kept_names(row.second, row.names)
    stage = stage_of(row.second)
    return views.SeriesView(
        id=row.id,
        at=row.at,
        kind=kind,
        title=names.title,
        rounds=found.rounds,
        first=found.first,
        same=found.same,
        chance_low=found.chance_low,
        chance_high=found.chance_high,
        heard=found.heard,
        sentence=verdict(found, kind=kind, first=names.first, second=names.second),
        first_name=names.first,
        stage=stage,
        leave_off=None if stage is None else _leave_off(ctx, row, stage, found),
    )


def _leave_off(ctx: RigContext, row: Series, stage: str, found: Tally) -> str | None:
    """What leaving a stage off would give, where it is not heard or not liked."""
    if found.heard and found.first > found.rounds / 2.0:
        return None
    if stage not in {view.key for view in stages(ctx) if view.on and view.switchable}:
        return None
    less = (
        _(", {saved_ms:.1f} ms less delay", saved_ms=row.saved_ms)
        if row.saved_ms >= _WORTH_MS
        else ""
    )
    return _("Leave the {title_of} off{less}", title_of=within(title_of(stage)), less=less)


_WORTH_MS = 0.05


def versions(ctx: RigContext) -> list[views.VersionView]:
    """The versions of the rig in hand, the newest first."""
    now = fingerprint(ctx)
    return [
        views.VersionView(
            id=row.id,
            number=row.number,
            name=row.name,
            note=row.note,
            step=row.step,
            at=row.at,
            in_force=row.fingerprint == now,
        )
        for row in kept_versions(ctx)
    ]


def two(ctx: RigContext) -> views.TwoView | None:
    """Two microphones that were recorded at once, None before there are any."""
    take = ctx.takes.of("both")
    reading = None if take is None else ctx.session.get(Reading, take.id)
    if take is None or reading is None:
        return None
    first, second = names_of(ctx, take)
    ids = (take.id, beside_of(ctx, take).id)
    return two_view(convert(ComparedMicrophones, reading.body), first, second, ids)


def two_view(
    found: ComparedMicrophones, first: str, second: str, ids: tuple[int, int] | None = None
) -> views.TwoView:
    """A comparison of two microphones, by the names of both."""
    return views.TwoView(
        take_id=ids[0] if ids else None,
        beside_id=ids[1] if ids else None,
        first=first,
        second=second,
        better=found.ranking.better,
        said=found.said,
        bars=found.bars,
        bands=[
            views.TwoBandView(hz=hz, db=db, error_db=error)
            for hz, db, error in zip(found.hz, found.db, found.error_db, strict=True)
        ],
    )


def rigs_beside(ctx: RigContext) -> list[views.RigBesideView]:
    """The other rigs that have a room and a sentence to compare with."""
    return [views.RigBesideView(id=rig.id, name=rig.name) for rig in comparable_rigs(ctx)]


def brought(ctx: RigContext) -> views.BroughtView | None:
    """The calibration file that is looked at."""
    if ctx.session.get(BroughtFile, 1) is None:
        return None
    found = brought_file(ctx)
    return None if found is None else views.BroughtView.model_validate(conversation(ctx, found))


def with_rig(app: AppContext, other_id: int) -> views.TwoView:
    """The rig in hand against another one. Raises Refused."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        found = compare_with_rig(ctx, other_id)
        other = session.get_one(Rig, other_id)
        return two_view(found, ctx.rig.name, other.name)
