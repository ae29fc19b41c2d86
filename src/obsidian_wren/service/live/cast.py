"""Who takes part in a run: voices, players, listeners, returns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.ports.world import Player, SoundStream
from obsidian_wren.service import mixes
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes import mixing, scene
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath


@dataclass
class Cast:
    """Who takes part in a run."""

    voices: list[VoicePath]
    players: dict[str, Player]
    seats: list[Seat]
    returns: list[ReturnPath]


def cast_of(
    ws: Workshop,
    session: Session,
    stream: SoundStream,
    specs: Sequence[StageSpec],
    channels: Mapping[str, int],
    *,
    waiting_s: float,
) -> Cast:
    """Everybody in use, around the stream of the voice; ``channels`` by listener, ``waiting_s`` is
    what waits at each of them."""
    rate = stream.rate_hz
    there = [
        row for row in scene.destinations(session) if row.on and scene.kind_of(row).has_program
    ]
    programs = scene.programs(ws, there)
    voices = [VoicePath("voice", stream, specs)]
    players: dict[str, Player] = {}
    for source in scene.sources(session):
        if not source.on:
            continue
        if source.kind == "second":
            voices.append(
                VoicePath("second", ws.world.open_second(rate), mixing.second_plan(ws, rate).specs)
            )
        elif source.kind == "clips":
            players["clips"] = mixes.current(ws).pads
        elif source.kind in ("music", "computer"):
            players[source.key] = ws.world.open_player(source.kind, rate)
    seats = [
        Seat(
            row.key,
            row.place,
            programs[row.key],
            own_feed=scene.feed_of(row),
            rate_hz=rate,
            channels=channels[row.key],
            waiting_s=waiting_s,
        )
        for row in there
    ]
    returns = [
        ReturnPath(row.key, back, rate_hz=rate, waiting_s=waiting_s)
        for row in there
        if scene.returns_of(row) is not None and (back := programs[row.key].returns) is not None
    ]
    for path in returns:
        plan = current(ws).return_plans.get(path.of)
        if plan is not None:
            path.treat(plan.specs)
    return Cast(voices, players, seats, returns)
