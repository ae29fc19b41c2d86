"""What goes with the voice, and the return."""

from __future__ import annotations

from obsidian_wren.core.mix.cases import CASES
from obsidian_wren.core.mix.spill import SpillPath
from obsidian_wren.service import live
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import clip_rows, scene
from obsidian_wren.service.mixes.beside import PERSON, on_two_devices, pair_of, spill_in_force
from obsidian_wren.service.mixes.mix_rows import kept_mixes
from obsidian_wren.service.page import send_views
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.send import two_people as two
from obsidian_wren.store.models import Rig
from obsidian_wren.store.reading import every
from obsidian_wren.store.take_files import SoundLost


def sources(ctx: RigContext) -> list[send_views.SourceView]:
    """Every source, and the return from listeners in use."""
    kept = kept_mixes(ctx.session, ctx.rig)
    measured = kept.sources
    found = [
        convert(
            send_views.SourceView,
            s,
            lufs=measured.get(s.key, measured.get(f"{s.key} treated")),
            because=kept.second if s.kind == "second" and s.on else [],
        )
        for s in scene.sources(ctx.session)
        if scene.is_offered(ctx.app, s)
    ]
    routing, _ = scene.routes(ctx.session)
    for key, source in routing.sources.items():
        if source.kind == "return":
            found.append(
                send_views.SourceView(
                    key=key, name=source.name, kind="return", on=True, lufs=None, because=[]
                )
            )
    return found


def two_people(ctx: RigContext) -> send_views.TwoPeopleView:
    """Who sits beside the rig in hand, and what was measured of the spill."""
    pair, run = pair_of(ctx), live.current(ctx.app).running
    in_force, state = spill_in_force(ctx), two.current(ctx.app)
    kept = None if pair is None else pair.spill
    known: dict[two.Talker, SpillPath] = {}
    if pair is not None and state.rigs == pair.rigs and state.ways:
        # One way is measured anew.
        known = state.ways
    elif kept is not None:
        known = {"voice": kept[0], "person": kept[1]}
    return send_views.TwoPeopleView(
        rigs=[
            send_views.PersonChoiceView(id=rig.id, name=rig.name, why_not=two.why_not(ctx, rig))
            for rig in every(ctx.session, Rig, Rig.id)
            if rig.id != ctx.rig.id
        ],
        chosen=None if pair is None else pair.rigs[1],
        on=any(row.kind == PERSON for row in scene.heard(ctx.session)),
        live=run is not None and PERSON in run.beside,
        spill=[
            send_views.SpillView(
                who=who,
                level_db=path.level_db,
                depth_db=path.depth_db,
                late_ms=1000.0 * path.late_s,
                seconds=path.seconds,
            )
            for who, path in known.items()
        ],
        is_lowered=in_force is not None,
        is_old=kept is not None and in_force is None,
        on_two_devices=on_two_devices(ctx),
        seconds=two.MEASURE_S,
    )


def cases(ctx: RigContext) -> list[send_views.CaseView]:
    """The common cases."""
    chosen = scene.live_wish(ctx.session).case
    return [
        send_views.CaseView(key=case.key, title=case.title, chosen=case.key == chosen)
        for case in CASES
        if scene.has_case(ctx.app, case)
    ]


def returns(ctx: RigContext) -> list[send_views.ReturnView]:
    """The return, as far as it was measured."""
    routing, _ = scene.routes(ctx.session)
    found = []
    for source in routing.sources.values():
        if source.kind != "return" or source.of is None:
            continue
        plan = live.current(ctx.app).return_plans.get(source.of)
        found.append(
            convert(
                send_views.ReturnView,
                source,
                plan or {"because": (), "before": None, "after": None},
            )
        )
    return found


def clips(ctx: RigContext) -> list[send_views.ClipView]:
    """The clips, in their places. One whose sound is lost says so."""
    found = []
    for row in clip_rows.rows(ctx.session):
        waveform, fault = [], row.fault
        try:
            waveform = clip_rows.waveform_of(ctx.app, row)
        except SoundLost as lost:
            fault = str(lost)
        found.append(
            send_views.ClipView(
                id=row.id,
                name=row.name,
                seconds=round(row.frames / row.rate_hz, 2),
                start_s=row.start_s,
                end_s=round(row.end_s, 3),
                lufs=row.lufs,
                key=row.key,
                waveform=waveform,
                fault=fault,
            )
        )
    return found


def ducking(ctx: RigContext) -> send_views.DuckingView | None:
    """How what plays under the voice drops, once it is derived."""
    kept = kept_mixes(ctx.session, ctx.rig)
    if kept.ducking is None:
        return None
    return convert(send_views.DuckingView, kept.ducking, because=kept.ducking_because)
