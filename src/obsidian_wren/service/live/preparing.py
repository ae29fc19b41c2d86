"""A run made ready beside what is live, and put in its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, cast

from sqlalchemy.orm import Session

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.mix.block import BLOCKS_MS, BlockCost, buffer_ms, choose_block
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.wording import worded
from obsidian_wren.ports.world import PushedStream, SoundStream
from obsidian_wren.service import recording
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.cast import cast_of
from obsidian_wren.service.live.monitor import hear_in_headphones, watch_meter
from obsidian_wren.service.live.muting import silent_feeds
from obsidian_wren.service.live.specification import no_page, source_of, start_of, take_of
from obsidian_wren.service.live.state import Pushed, current
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import mixing, scene
from obsidian_wren.service.mixes.inputs import inputs_for
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand, simulated_source
from obsidian_wren.service.rig.system_microphone import no_system
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.service.workshop.clock import now
from obsidian_wren.store.models import LiveWish
from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.pace import BLOCK_S, Pacing
from obsidian_wren.voice.rehearsal import rehearse
from obsidian_wren.voice.run import LiveRun, Tell

# Being live with the pace of takes set to fast: soon through, and a core left for others.
_FAST = 4.0
# What blocks of so many sizes, ms, cost.
Rehearsed = Callable[[Sequence[float]], tuple[BlockCost, ...]]


@dataclass(frozen=True)
class Prepared:
    """A run that is ready to start, and the stream that a page pushes into, where its microphone
    is the source."""

    run: LiveRun | VoiceRun
    pushed: Pushed | None
    block_costs: tuple[BlockCost, ...]


def _stream(
    ctx: RigContext, browser_rate_hz: int | None
) -> tuple[SoundStream, PushedStream | None]:
    if ctx.rig.source == "simulated":
        return simulated_source(ctx).open_live(), None
    if ctx.rig.source == "browser":
        if browser_rate_hz is None:
            raise no_page()
        pushed = ctx.ws.world.open_browser(browser_rate_hz)
        return pushed, pushed
    if ctx.rig.source == "system":
        # The rig was heard on this computer's own sound; here all is simulated.
        raise no_system()
    return Loop(*take_of(ctx)), None


def prepare(ws: Workshop, session: Session, browser_rate_hz: int | None) -> Prepared:
    """A run as everything stands in the session.

    What runs is not touched. Raises Refused where there is nothing to send.
    """
    ctx = in_hand(ws, session)
    rig = ctx.rig
    specs = chain_rows.chain_specs(ctx)
    body = mixing.derive_mixes(ctx)
    if specs is None or body is None:
        raise Refused(
            "no-chain", worded("There is nothing to send yet: Tone has to be fitted first.")
        )
    if ws.world.system is not None:
        return _in_the_voice(ctx, specs, body, browser_rate_hz)
    stream, pushed = _stream(ctx, browser_rate_hz)
    wish = scene.live_wish(session)
    rate = stream.rate_hz
    mixes, ducking = mixing.mixes_of(body), mixing.ducking_of(body)
    rehearsed = _rehearsed_here(specs, mixes, ducking, rate)
    block_ms, costs = _block_ms(ws, wish.block_ms, specs, mixes, rate, rehearsed)
    waiting_ms = _waiting_ms(wish, costs)
    channels = channels_of(body)
    cast = cast_of(ws, session, stream, specs, channels, waiting_s=waiting_ms / 1000.0)
    run = LiveRun(
        cast.voices,
        cast.seats,
        inputs_for(ctx),
        mixes,
        players=cast.players,
        returns=cast.returns,
        ducking=ducking,
        tell=teller(ws),
        pacing=Pacing(
            speed=None
            if rig.source in ("browser", "system")
            else 1.0
            if ws.pace == "real"
            else _FAST,
            urgent=ws.pace == "real",
            block_s=block_ms / 1000.0,
            adapts=ws.pace == "real" and wish.block_ms is None,
        ),
        aside=current(ws).hear_aside,
        tap=recording.current(ws).hear,
    )
    run.mute(silent_feeds(ws, session))
    return Prepared(run, pushed, costs)


def _in_the_voice(
    ctx: RigContext,
    specs: Sequence[StageSpec],
    body: dict[str, Any],
    browser_rate_hz: int | None,
) -> Prepared:
    """What the process of the voice is to run, on this computer's own sound."""
    ws, wish = ctx.ws, scene.live_wish(ctx.session)
    source = source_of(ctx, browser_rate_hz)
    mixes, ducking = mixing.mixes_of(body), mixing.ducking_of(body)
    rehearsed = _rehearsed_there(ws, specs, mixes, ducking, source.rate_hz)
    block_ms, costs = _block_ms(ws, wish.block_ms, specs, mixes, source.rate_hz, rehearsed)
    wanted = start_of(
        ctx,
        source,
        specs,
        mixes,
        ducking,
        channels=channels_of(body),
        block_s=block_ms / 1000.0,
        adapts=wish.block_ms is None,
        waiting_s=_waiting_ms(wish, costs) / 1000.0,
    )
    run = VoiceRun(link_of(ws), wanted, source.take)
    return Prepared(run, run if source.kind == "pushed" else None, costs)


def channels_of(body: dict[str, Any]) -> dict[str, int]:
    """The channels of each listener's mix."""
    return {key: int(entry["channels"]) for key, entry in body["listeners"].items()}


def _waiting_ms(wish: LiveWish, costs: tuple[BlockCost, ...]) -> float:
    """What waits at each listener beyond a block: as the person holds it, else as measured."""
    if wish.buffer_ms is not None:
        return wish.buffer_ms
    return buffer_ms(costs[-1] if costs else None)


def prepare_anew(ws: Workshop, session: Session) -> Prepared | None:
    """What is live, as it would run with what the session holds; None where nothing is live.

    Raises Refused where it could not run, so that the change that asks for it is refused too and
    what is live goes on.
    """
    run = current(ws).running
    if run is None:
        return None
    session.flush()
    return prepare(ws, session, run.rate_hz if current(ws).pushed is not None else None)


def take_over(ws: Workshop, prepared: Prepared | None) -> None:
    """Let what is prepared run in the place of what is live.

    A page that pushes pushes into the new one from now on.
    """
    if prepared is None:
        return
    with ws.lock:
        held = current(ws)
        # One world has one kind of run.
        prepared.run.begin(cast(Any, held.run))
        held.run, held.since = prepared.run, now()
        held.pushed, held.block_costs = prepared.pushed, prepared.block_costs
        hear_in_headphones(ws)
        watch_meter(ws)


def teller(ws: Workshop) -> Tell:
    """What a run tells, for the pages; with how much of it is recorded."""

    def tell(kind: str, news: dict[str, object]) -> None:
        if kind == "changed":
            ws.changed()
            return
        held = recording.current(ws).recorder
        ws.bus.tell(
            kind,
            (
                {**news, "recorded_s": round(held.seconds, 1)}
                if kind == "live" and held is not None
                else news
            ),
        )

    return tell


def _block_ms(
    ws: Workshop,
    wanted: float | None,
    specs: Sequence[StageSpec],
    mixes: Sequence[Mix],
    rate: int,
    rehearsed: Rehearsed,
) -> tuple[float, tuple[BlockCost, ...]]:
    """The size of a block, and what the rehearsals cost: as the person holds it, else the
    shortest that this machine has time for."""
    if wanted is not None or ws.pace == "fast":
        # A rehearsal all the same: what loads with the first block would make it late, and the
        # buffer stands on it.
        block_ms = wanted if wanted is not None else 1000.0 * BLOCK_S
        return block_ms, rehearsed((block_ms,)) if ws.pace == "real" else ()
    # What costs: the stages that run, and how much is mixed.
    running = tuple(spec.kind for spec in specs if spec.on)
    key = ("block", running, sorted_sizes(mixes), rate)
    costs: tuple[BlockCost, ...] = ws.answers.get(key, lambda: rehearsed(BLOCKS_MS))
    return costs[-1].block_ms if costs else 1000.0 * BLOCK_S, costs


def _rehearsed_here(
    specs: Sequence[StageSpec], mixes: Sequence[Mix], ducking: Ducking, rate: int
) -> Rehearsed:
    return partial(choose_block, partial(rehearse, specs, mixes, ducking, rate))


def _rehearsed_there(
    ws: Workshop, specs: Sequence[StageSpec], mixes: Sequence[Mix], ducking: Ducking, rate: int
) -> Rehearsed:
    def ask(blocks_ms: Sequence[float]) -> tuple[BlockCost, ...]:
        if link_of(ws).running is not None:
            # It would hold up what is heard: what was found before stands.
            return current(ws).block_costs
        stages = tuple(records.stage_of(spec) for spec in specs)
        asked = records.Rehearse(stages, tuple(mixes), ducking, rate, tuple(blocks_ms))
        try:
            return cast(records.Costs, link_of(ws).ask(asked)).of
        except VoiceRefused as error:
            raise Refused(error.code, str(error)) from error

    return ask


def sorted_sizes(mixes: Sequence[Mix]) -> tuple[tuple[int, int], ...]:
    """How many sends each mix has, and into how many channels."""
    return tuple(sorted((len(mix.sends), mix.channels) for mix in mixes))


def prepare_scene(ws: Workshop, session: Session) -> Prepared | None:
    """What is live, made anew where who takes part in it changed in the session; None where it
    can run on."""
    run = current(ws).running
    if run is None or recording.current(ws).recorder is not None:
        return None
    there = {
        row.key: scene.settings_of(row)
        for row in scene.destinations(session)
        if row.on and scene.kind_of(row).has_program
    }
    heard = {row.key for row in scene.sources(session) if row.on and row.kind != "voice"}
    same = there == {seat.key: seat.settings for seat in run.seats} and heard == run.beside
    return None if same else prepare_anew(ws, session)
