"""The voice chain of the rig in hand, derived from its takes stage by stage."""

from __future__ import annotations

import hashlib
import pickle
from collections.abc import Mapping
from dataclasses import astuple
from typing import Any

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.sequence import is_further
from obsidian_wren.core.derive.chain_plan import Ask, ask_rule, derive_chain
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan
from obsidian_wren.core.derive.take_set import FloorToCome, TakeSet
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.chain_rows import band_of
from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.calibration.keeping import keep_answers, keep_stages
from obsidian_wren.service.calibration.setting_rows import band_rows, stage_rows
from obsidian_wren.service.calibration.take_sets import follower, take_set_of
from obsidian_wren.service.errors import Refused, drowned
from obsidian_wren.service.readings.answers import moved_since
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import is_in_hand
from obsidian_wren.store.models import Derivation, SettingRow

# Where derivations begin, by the takes that they stand on.
STARTS, _MOST_STARTS = "starts", 32


def derive_voice(ctx: RigContext, *, refit: bool = False) -> None:
    """Derive the chain from the newest takes; the equalizer is fitted anew with ``refit``, else
    judged as it stands. Pins stay.

    Without a passage only what comes before the tone is derived. Raises Refused when the takes
    cannot carry it.
    """
    voice = ctx.takes.voice
    if ctx.takes.quiet is None or voice is None:
        if ctx.takes.quiet is None and ctx.takes.passage is not None and refit:
            raise Refused(
                "no-quiet",
                _(
                    "The room has not been recorded, so it is unknown where your voice ends and"
                    " the room begins. Do Quiet first."
                ),
            )
        return
    moved, predicted = moved_since(ctx, voice)
    take_set, key = take_set_of(ctx, moved, refit=refit)
    if take_set.talk_reading.active_level_dbfs <= take_set.quiet_reading.rms_dbfs:
        raise drowned()
    fitted = ctx.session.get(Derivation, (ctx.rig.id, "tone")) is not None
    toned = ctx.takes.passage is not None and (refit or fitted)
    sequence = tuple(key for key in order_of(ctx.rig) if toned or kind_of(key).before_tone)
    stands_on = hashlib.sha256(repr((key, sequence)).encode()).hexdigest()[:16]
    start = _start(ctx, stands_on)
    plan = derive_chain(
        take_set,
        _pins(ctx),
        sequence=sequence,
        follow=follower(ctx.app, key),
        ask=_asker(ctx, take_set, key),
        start=start,
    )
    keep_stages(ctx, plan.stages)
    if start is None:
        _keep_start(ctx, stands_on, plan.to_come)
    keep_answers(ctx, plan, take_set, predicted, refit=refit, toned=toned)
    if not toned:
        return
    if not is_in_hand(ctx.session, ctx.rig):
        # What is live is another rig's.
        return
    ctx.announce(ChainChanged(plan.specs(), sequence))


def _start(ctx: RigContext, stands_on: str) -> dict[str, FloorToCome] | None:
    """What the first derivation of these takes came to. Never what the last one came to: a change
    and its undo have to end where they began."""
    floors = _kept_starts(ctx).get(stands_on)
    return {key: FloorToCome(*floor) for key, floor in floors.items()} if floors else None


def _keep_start(ctx: RigContext, stands_on: str, to_come: Mapping[str, FloorToCome]) -> None:
    new = {key: astuple(floor) for key, floor in to_come.items()}
    newest = dict([*_kept_starts(ctx).items(), (stands_on, new)][-_MOST_STARTS:])
    ctx.session.merge(Derivation(rig_id=ctx.rig.id, step=STARTS, body=newest, used={}))


def _kept_starts(ctx: RigContext) -> dict[str, dict[str, list[float]]]:
    row = ctx.session.get(Derivation, (ctx.rig.id, STARTS))
    # What was spoiled in the database costs the time that it saves.
    return row.body if row is not None and isinstance(row.body, dict) else {}


def _asker(ctx: RigContext, take_set: TakeSet, takes_key: tuple[Any, ...]) -> Ask:
    """Rules' answers, remembered as long as nothing that they stand on changed: the sounds, the
    stages before, pins, and what is known beside the sounds."""
    known = pickle.dumps(
        (
            take_set.preferences,
            take_set.tone,
            take_set.ring,
            take_set.talk_reading,
            take_set.quiet_reading,
        )
    )
    beside = hashlib.sha256(known).digest()

    def answer(key: str, take_set: TakeSet, pins: Pins) -> StagePlan:
        ctx.go_on()
        stages = (key, *kind_of(key).also_on)
        held = tuple(
            sorted((name, value) for name, value in pins.numbers.items() if name[0] in stages)
        )
        stands_on = (
            key,
            takes_key,
            take_set.passed,
            take_set.lifted_db,
            take_set.floor_to_come,
            held,
            pins.switches.get(key),
            pins.bands.get(key),
            beside,
        )
        found: StagePlan = ctx.app.answers.get(stands_on, lambda: ask_rule(key, take_set, pins))
        return found

    return answer


def _pins(ctx: RigContext) -> Pins:
    rows = ctx.session.scalars(
        select(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.pinned.is_(True))
    )
    numbers = {
        (row.stage, row.name): float(row.value)
        for row in rows
        if row.stage.partition("-")[0] in KINDS and not kind_of(row.stage).banded
    }
    switches = {row.kind: row.runs for row in stage_rows(ctx).values() if row.pinned}
    further = [key for key in order_of(ctx.rig) if is_further(key) and kind_of(key).banded]
    bands = {key: tuple(band_of(row.value) for row in band_rows(ctx, key)) for key in further}
    return Pins(numbers, switches, bands)
