"""The live run, the recorder and its files."""

from __future__ import annotations

from contextlib import suppress
from typing import Any, cast

from sqlalchemy import select

from obsidian_wren.core.chain.look_ahead import limiter_delay_samples
from obsidian_wren.core.loudspeaker.deciding import loudspeaker_facts, removal_delay_ms
from obsidian_wren.core.mix.block import buffer_ms, load_mark
from obsidian_wren.core.wording import _
from obsidian_wren.service import live, recording
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import muting
from obsidian_wren.service.live.loudspeaker import decided
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import clip_rows, scene
from obsidian_wren.service.noticing import state as noticed
from obsidian_wren.service.page import send_views
from obsidian_wren.service.recording.tracks import (
    EARLY_MIN,
    bytes_per_s,
    room_left_min,
    tracks_for,
)
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.setup import controllers
from obsidian_wren.store.models import ControlBinding, Derivation, LiveWish, Recording
from obsidian_wren.voice.pace import BLOCK_S

_MOST_RECORDINGS = 60
_WHEN_STOPPED = _(
    "The feeds are silent: programs on a feed hear nothing. Programs on the microphone"
    " itself still hear it raw."
)


def run(ctx: RigContext) -> send_views.RunView:
    """The live run."""
    now, recorder_held = live.current(ctx.app), recording.current(ctx.app).recorder
    held, is_live = now.run, now.running is not None
    wish = scene.live_wish(ctx.session)
    muted, push = muting.kept(ctx.session)
    feeds = muting.feeds_in_use(ctx.session)
    return send_views.RunView(
        live=is_live,
        rate_hz=held.rate_hz if held is not None and is_live else None,
        since=now.since if is_live else None,
        dropouts=held.dropouts if held else 0,
        gaps_mark="fault" if held and held.dropouts else "good",
        load=round(held.load, 3) if held else 0.0,
        load_mark=load_mark(held.load if held else 0.0),
        one_rate=held is None or not is_live or held.rate_hz == ctx.rig.rate_hz,
        block_ms=1000.0 * held.block_s if held else wish.block_ms or 10.0,
        block_held=wish.block_ms is not None,
        buffer_ms=(
            1000.0 * max(seat.waiting_s for seat in held.seats)
            if held is not None and held.seats
            else wish.buffer_ms or 10.0
        ),
        buffer_held=wish.buffer_ms is not None,
        block_costs=[(cost.block_ms, round(cost.share, 3)) for cost in now.block_costs],
        priority_raised=bool(held and held.priority_raised),
        marker=("sending" if held is not None and is_live and held.marker_in_flight else "idle"),
        stopped_why=held.stopped_why if held else None,
        recording=recorder_held is not None,
        wanted=wish.live,
        when_stopped=_WHEN_STOPPED,
        predicted_ms=None if is_live else _predicted_ms(ctx, wish),
        feeds_muted="all" if feeds and feeds <= muted else "some" if feeds & muted else "none",
        push_to_talk=bool(feeds & push),
        talking=muting.is_talking(ctx.app),
        loudspeaker=_loudspeaker(ctx, held if is_live else None),
    )


def _loudspeaker(ctx: RigContext, held: VoiceRun | None) -> send_views.LoudspeakerView:
    stands = None if held is None else held.loudspeaker
    facts = (
        ()
        if stands is None
        else loudspeaker_facts(
            late_ms=stands.late_ms,
            lowered_db=stands.lowered_db,
            drift_ppm=stands.drift_ppm,
            delay_ms=stands.delay_ms,
        )
    )
    return send_views.LoudspeakerView(switch=decided(ctx), facts=facts)


def _predicted_ms(ctx: RigContext, wish: LiveWish) -> dict[str, float] | None:
    """Where the time of a path would go if it were live, by what it took before or is set to."""
    delivery = ctx.session.get(Derivation, (ctx.rig.id, "send"))
    if delivery is None:
        return None
    costs, rate = live.current(ctx.app).block_costs, float(ctx.rig.rate_hz)
    usual_ms = costs[-1].block_ms if costs else 1000.0 * BLOCK_S
    waiting_ms = buffer_ms(costs[-1] if costs else None)
    return {
        "block_ms": usual_ms if wish.block_ms is None else wish.block_ms,
        "chain_ms": float(delivery.body["delay_ms"]) + removal_delay_ms(rate) * decided(ctx).on,
        "mix_ms": round(1000.0 * limiter_delay_samples(rate) / rate, 2),
        "edge_ms": waiting_ms if wish.buffer_ms is None else wish.buffer_ms,
    }


def noticing(ctx: RigContext) -> send_views.NoticingView:
    """The watch beside what is live."""
    now = noticed.current(ctx.app)
    told = now.notice
    return send_views.NoticingView(
        on=scene.live_wish(ctx.session).watches,
        watches=now.watches,
        why_not=now.why_not,
        talk_min=int(now.talk_s / 60.0),
        days=now.days,
        fault=now.fault,
        noticed=None
        if told is None
        else send_views.NoticedView(
            code=told.code,
            sentence=told.sentence,
            action=told.action,
            at=told.at,
            takes_over=told.fact is not None,
        ),
    )


def recorder(ctx: RigContext) -> send_views.RecorderView:
    """The recorder."""

    wish = scene.live_wish(ctx.session).tracks
    wanted = list(wish.get("tracks") or ["treated"])
    file_format = wish.get("format") or "flac"
    tracks = tracks_for(ctx.session, wanted)
    run_held = live.current(ctx.app).run
    rate = run_held.rate_hz if run_held is not None else 48_000
    per_s = bytes_per_s(tracks, rate, cast(Any, file_format))
    room = room_left_min(ctx.app.folder, per_s)
    early = None
    if room < EARLY_MIN:
        early = _(
            "The disk has room for {room:.0f} minutes of these tracks. Free some space, or"
            " choose fewer tracks.",
            room=room,
        )
    is_recording = recording.current(ctx.app).recorder is not None
    held = run_held.recorded if is_recording and run_held is not None else None
    return send_views.RecorderView(
        tracks=cast(Any, wanted),
        format=file_format,
        minutes=wish.get("minutes"),
        megabytes=wish.get("megabytes"),
        recording=is_recording,
        seconds=round(held.seconds, 1) if held else 0.0,
        safe_s=round(held.safe_s, 1) if held else 0.0,
        part=held.part if held else 0,
        files=[track.title for track in tracks],
        room_min=round(room, 1),
        megabytes_an_hour=round(per_s * 3600.0 / 1e6),
        early=early,
        failed=recording.current(ctx.app).failed,
    )


def recordings(ctx: RigContext) -> list[send_views.RecordingView]:
    """The newest files first."""
    rows = ctx.session.scalars(
        select(Recording)
        .where(Recording.discarded.is_(False))
        .order_by(Recording.id.desc())
        .limit(_MOST_RECORDINGS)
    )
    return [
        convert(
            send_views.RecordingView,
            r,
            seconds=round(r.frames / r.rate_hz, 1),
            loudness_lufs=None if r.loudness_lufs is None else round(r.loudness_lufs, 1),
            true_peak_dbtp=None if r.true_peak_dbtp is None else round(r.true_peak_dbtp, 1),
            open=recording.current(ctx.app).recorder is not None
            and r.frames == 0
            and r.session == recording.current(ctx.app).session,
        )
        for r in rows
    ]


def bindings(ctx: RigContext) -> list[send_views.BindingView]:
    """What is bound to knobs and pads."""
    return [_binding(ctx, row) for row in controllers.bindings(ctx.session)]


def _binding(ctx: RigContext, row: ControlBinding) -> send_views.BindingView:
    title = None
    with suppress(Refused):
        title = controllers.title_of_action(ctx, row.action)
    return send_views.BindingView(
        id=row.id,
        device=row.device,
        kind=cast(Any, row.kind),
        channel=row.channel,
        number=row.number,
        do=row.action["do"],
        stage=row.action.get("stage"),
        name=row.action.get("name"),
        clip=row.action.get("clip"),
        situation=row.action.get("situation"),
        title=title,
    )


def clip_names(ctx: RigContext) -> list[send_views.ClipNameView]:
    """The clips that a pad can play."""
    return [
        send_views.ClipNameView(id=row.id, name=row.name) for row in clip_rows.rows(ctx.session)
    ]
