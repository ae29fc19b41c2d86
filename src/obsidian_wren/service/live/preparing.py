"""A run made ready beside what is live, and put in its place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import cast

from sqlalchemy.orm import Session

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.mix.block import BLOCKS_MS, BlockCost, buffer_ms
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.wording import _
from obsidian_wren.service import recording
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.loudspeaker import decided
from obsidian_wren.service.live.monitor import hear_in_headphones, watch_meter
from obsidian_wren.service.live.specification import source_of, start_of
from obsidian_wren.service.live.state import Pushed, current
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.live.voice_news import heard_link
from obsidian_wren.service.live.voice_run import VoiceRun
from obsidian_wren.service.mixes import mixing, scene
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import LiveWish
from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused
from obsidian_wren.voice.pace import BLOCK_S


@dataclass(frozen=True)
class Prepared:
    """A run that is ready to start, and the stream that a page pushes into, where its microphone
    is the source."""

    run: VoiceRun
    pushed: Pushed | None
    block_costs: tuple[BlockCost, ...]


def prepare(app: AppContext, session: Session, browser_rate_hz: int | None) -> Prepared:
    """A run as everything stands in the session.

    What runs is not touched. Raises Refused where there is nothing to send.
    """
    ctx = in_hand(app, session)
    specs = chain_rows.chain_specs(ctx)
    kept = mixing.derive_mixes(ctx)
    if specs is None or kept is None or kept.ducking is None:
        raise Refused("no-chain", _("There is nothing to send yet: fit the tone first."))
    wish, source = scene.live_wish(session), source_of(ctx, browser_rate_hz)
    mixes, ducking = kept.as_run, kept.ducking
    block_ms, costs = _block_ms(app, wish.block_ms, specs, mixes, ducking, source.rate_hz)
    wanted = start_of(
        ctx,
        source,
        specs,
        mixes,
        ducking,
        channels={key: mix.channels for key, mix in kept.listeners.items()},
        block_s=block_ms / 1000.0,
        adapts=wish.block_ms is None and app.pace == "real",
        waiting_s=_waiting_ms(wish, costs) / 1000.0,
        played=decided(ctx).known_from,
    )
    run = VoiceRun(heard_link(app), wanted, source.take)
    return Prepared(run, run if source.kind == "pushed" else None, costs)


def _waiting_ms(wish: LiveWish, costs: tuple[BlockCost, ...]) -> float:
    """What waits at each listener beyond a block: as the person holds it, else as measured."""
    if wish.buffer_ms is not None:
        return wish.buffer_ms
    return buffer_ms(costs[-1] if costs else None)


def prepare_anew(app: AppContext, session: Session) -> Prepared | None:
    """What is live, as it would run with what the session holds; None where nothing is live.

    Raises Refused where it could not run, so that the change that asks for it is refused too and
    what is live goes on.
    """
    run = current(app).running
    if run is None:
        return None
    session.flush()
    return prepare(app, session, run.rate_hz if current(app).pushed is not None else None)


def take_over(app: AppContext, prepared: Prepared | None) -> None:
    """Let what is prepared run in the place of what is live.

    A page that pushes pushes into the new one from now on.
    """
    if prepared is None:
        return
    with app.lock:
        held = current(app)
        prepared.run.begin(held.run)
        held.run, held.since = prepared.run, now()
        held.pushed, held.block_costs = prepared.pushed, prepared.block_costs
        hear_in_headphones(app)
        watch_meter(app)


def _block_ms(
    app: AppContext,
    wanted: float | None,
    specs: Sequence[StageSpec],
    mixes: Sequence[Mix],
    ducking: Ducking,
    rate: int,
) -> tuple[float, tuple[BlockCost, ...]]:
    """The size of a block, and what the rehearsals cost: as the person holds it, else the
    shortest that this machine has time for."""
    rehearsed = partial(_rehearsed, app, specs, mixes, ducking, rate)
    if wanted is not None or app.pace == "fast":
        # A rehearsal all the same: what loads with the first block would make it late, and the
        # buffer stands on it.
        block_ms = wanted if wanted is not None else 1000.0 * BLOCK_S
        return block_ms, rehearsed((block_ms,)) if app.pace == "real" else ()
    # What costs: the stages that run, and how much is mixed.
    running = tuple(spec.kind for spec in specs if spec.on)
    key = ("block", running, sorted_sizes(mixes), rate)
    costs: tuple[BlockCost, ...] = app.answers.get(key, lambda: rehearsed(BLOCKS_MS))
    return costs[-1].block_ms if costs else 1000.0 * BLOCK_S, costs


def _rehearsed(
    app: AppContext,
    specs: Sequence[StageSpec],
    mixes: Sequence[Mix],
    ducking: Ducking,
    rate: int,
    blocks_ms: Sequence[float],
) -> tuple[BlockCost, ...]:
    """What blocks of these sizes, ms, cost the voice."""
    if link_of(app).running is not None:
        # It would hold up what is heard: what was found before stands.
        return current(app).block_costs
    stages = tuple(records.stage_of(spec) for spec in specs)
    asked = records.Rehearse(stages, tuple(mixes), ducking, rate, tuple(blocks_ms))
    try:
        return cast(records.Costs, heard_link(app).ask(asked)).of
    except VoiceRefused as error:
        raise Refused(error.code, str(error)) from error


def sorted_sizes(mixes: Sequence[Mix]) -> tuple[tuple[int, int], ...]:
    """How many sends each mix has, and into how many channels."""
    return tuple(sorted((len(mix.sends), mix.channels) for mix in mixes))


def prepare_scene(app: AppContext, session: Session) -> Prepared | None:
    """What is live, made anew where who takes part in it changed in the session; None where it
    can run on."""
    run = current(app).running
    if run is None or recording.current(app).recorder is not None:
        return None
    there = {
        row.key: scene.settings_of(row)
        for row in scene.destinations(session)
        if row.on and scene.kind_of(row).has_program
    }
    heard = {row.key for row in scene.heard(session) if row.kind != "voice"}
    same = there == {seat.key: seat.settings for seat in run.seats} and heard == run.beside
    return None if same else prepare_anew(app, session)
