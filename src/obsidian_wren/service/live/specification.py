"""What the voice is asked to run, from what is kept and what is there of this computer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import msgspec

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.loudspeaker.deciding import KnownFrom
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.chain_rows import chain_specs
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.muting import silent_feeds
from obsidian_wren.service.live.simulated import program_of, rig_of
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes import beside, mixing, own_system, scene
from obsidian_wren.service.mixes.inputs import inputs_for
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.system_microphone import channel_of, microphone_of
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.voice import records

# Being live with the pace of takes set to fast: soon through, and a core left for others.
_FAST = 4.0


@dataclass(frozen=True)
class VoiceSource:
    """Where the voice is heard: the microphone by its name for the system and its channel from 0, a
    page that pushes, a take ``(n,)`` that goes round and round, or a simulated rig; at a rate."""

    kind: Literal["system", "pushed", "take", "simulated"]
    rate_hz: int
    microphone: str = ""
    channel: int = 0
    take: Samples | None = None
    rig: records.SimulatedRigRecord | None = None


def source_of(ctx: RigContext, browser_rate_hz: int | None) -> VoiceSource:
    """Where the rig in hand hears the voice. Raises Refused, with what to do."""
    if ctx.rig.source == "simulated":
        rate_hz = ctx.app.world.rate_of(ctx.rig.spec_json)
        return VoiceSource("simulated", rate_hz, rig=rig_of(ctx))
    if ctx.rig.source == "browser":
        if browser_rate_hz is None:
            raise no_page()
        return VoiceSource("pushed", browser_rate_hz)
    if ctx.rig.source == "system":
        device = microphone_of(ctx)
        return VoiceSource("system", device.rate_hz, device.id, channel_of(ctx) - 1)
    take, rate_hz = take_of(ctx)
    return VoiceSource("take", rate_hz, take=take)


def no_page() -> Refused:
    """Told where only a page can open the microphone."""
    return Refused(
        "no-microphone",
        _("The page opens your microphone. Start live from there."),
    )


def take_of(ctx: RigContext) -> tuple[Samples, int]:
    """The talk of somebody who works from files, and its rate. Raises Refused."""
    take_set = current_takes(ctx.session, ctx.rig).voice
    if take_set is None:
        raise Refused("no-talk", _("There is no talk to send yet. Do Gain and Tone first."))
    return measuring.samples_of(ctx.app, take_set), take_set.rate_hz


def start_of(
    ctx: RigContext,
    source: VoiceSource,
    specs: Sequence[StageSpec],
    mixes: Sequence[Mix],
    ducking: Ducking,
    *,
    channels: Mapping[str, int],
    block_s: float,
    adapts: bool,
    waiting_s: float,
    played: KnownFrom = "",
) -> records.Start:
    """Everybody in use around the voice; ``channels`` by listener; ``played``: from what it is
    known what a loudspeaker plays, where that is taken out."""
    rows = [
        row
        for row in scene.destinations(ctx.session)
        if row.on and scene.kind_of(row).has_program and scene.is_offered(ctx.app, row)
    ]
    plans = current(ctx.app).return_plans
    sources = frozenset(row.key for row in scene.heard(ctx.session) if row.kind != "voice")
    is_simulated = ctx.app.world.system is None
    second = mixing.second_plan(ctx.app, source.rate_hz).specs if "second" in sources else ()
    return records.Start(
        source.microphone,
        source.channel,
        source.rate_hz,
        tuple(records.stage_of(spec) for spec in specs),
        tuple(
            records.SeatRecord(
                row.key,
                row.place,
                row.kind,
                row.name,
                scene.feed_of(row),
                channels[row.key],
                waiting_s,
                program_of(row) if is_simulated else None,
            )
            for row in rows
        ),
        inputs_for(ctx),
        tuple(mixes),
        ducking,
        silent_feeds(ctx.app, ctx.session),
        block_s,
        sources,
        {
            row.key: tuple(records.stage_of(spec) for spec in plans[row.key].specs)
            if row.key in plans
            else ()
            for row in rows
            if scene.returns_of(row) is not None
        },
        records.Ends() if is_simulated else own_system.ends(ctx.app),
        adapts,
        source=source.kind,
        rig=source.rig,
        second=tuple(records.stage_of(spec) for spec in second),
        speed=1.0 if ctx.app.pace == "real" else _FAST,
        played=played,
        person=_person(ctx, source) if beside.PERSON in sources else None,
    )


def _person(ctx: RigContext, source: VoiceSource) -> records.PersonRecord:
    """Who sits beside the rig in hand. Raises Refused, with what to do."""
    other = beside.person_of(ctx)
    specs = None if other is None else chain_specs(other)
    if other is None or specs is None:
        raise Refused(
            "no-person",
            _(
                "The person beside you has no calibration yet. Take their rig in hand and"
                " calibrate it, or take them out of use."
            ),
        )
    if other.rig.source != ctx.rig.source or source.kind not in ("system", "simulated"):
        raise Refused(
            "person-elsewhere",
            _(
                "Two people need two microphones of this computer. In Rig choose one for each, or"
                " take the person beside you out of use."
            ),
        )
    found = records.PersonRecord(
        stages=tuple(records.stage_of(spec) for spec in specs), spill=beside.spill_in_force(ctx)
    )
    replace = msgspec.structs.replace
    if source.kind == "simulated":
        return replace(found, rig=rig_of(other))
    microphone, channel = microphone_of(other).id, channel_of(other) - 1
    if (microphone, channel) == (source.microphone, source.channel):
        raise Refused(
            "one-microphone",
            _(
                "Both of you are on channel {channel} of one microphone. Give each an own"
                " microphone or channel in Rig.",
                channel=channel + 1,
            ),
        )
    return replace(found, microphone=microphone, channel=channel)
