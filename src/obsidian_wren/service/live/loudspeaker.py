"""What a loudspeaker plays, as it is taken out of the microphone while live."""

from __future__ import annotations

from obsidian_wren.core.loudspeaker.deciding import KnownFrom, LoudspeakerSwitch, decide
from obsidian_wren.service.mixes import own_system, scene
from obsidian_wren.service.rig.computer_rows import devices_of
from obsidian_wren.service.rig.context import RigContext


def decided(ctx: RigContext) -> LoudspeakerSwitch:
    """Whether it is taken out as everything stands, and why."""
    world = ctx.app.world
    is_simulated = world.system is None
    known: KnownFrom = "returns"
    if not is_simulated:
        known = "" if own_system.current(ctx.app).computer is None else "computer"
    return decide(
        devices_of(ctx.app, ctx.session),
        known_from=known,
        wanted=scene.live_wish(ctx.session).loudspeaker,
        stands_in_room=not is_simulated or world.has_loudspeaker(ctx.rig.spec_json),
    )
