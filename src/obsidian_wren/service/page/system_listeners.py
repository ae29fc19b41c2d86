"""The programs of this computer that really record or play, and what is said of the feeds."""

from __future__ import annotations

from obsidian_wren.core.mix.system_listeners import (
    ProgramRecording,
    audit_feed,
    audit_output,
    hears,
    left_to_move,
)
from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import SystemListener, SystemSound
from obsidian_wren.service.mixes import own_system, scene
from obsidian_wren.service.page import send_views
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import rig_device
from obsidian_wren.store.models import DestinationRow

_NOT_HERE = _(
    "Programs on this computer can choose feeds only with a sound server: install Debian’s"
    " pipewire-pulse or pulseaudio, then start it."
)


def is_real(ctx: RigContext) -> bool:
    """Whether the programs around are those of this computer."""
    return ctx.app.world.system is not None


def programs(ctx: RigContext) -> list[send_views.SystemProgramView]:
    """Who records now, what each picked, and which feed that is."""
    system = ctx.app.world.system
    if system is None:
        return []
    keys = {system.input_name(key): key for key in own_system.current(ctx.app).held}
    return [
        send_views.SystemProgramView(
            index=one.index,
            program=one.program,
            process_id=one.process_id,
            picked=_title(system, one.microphone),
            hears="feed" if one.microphone in keys else hears(one.microphone, raw=_raw(ctx)),
            feed=keys.get(one.microphone or ""),
            volume_percent=round(one.volume_percent),
            muted=one.muted,
        )
        for one in system.seen.listeners
    ]


def players(ctx: RigContext) -> list[send_views.SystemPlayerView]:
    """Who plays now, and where."""
    system = ctx.app.world.system
    if system is None:
        return []
    return [
        send_views.SystemPlayerView(
            index=one.index, program=one.program, output=_title(system, one.output)
        )
        for one in system.seen.players
    ]


def audit(ctx: RigContext, row: DestinationRow) -> list[Verdict]:
    """What is said of a feed, or of headphones, without sending a marker."""
    system = ctx.app.world.system
    if system is None:
        return []
    feeds, feed = own_system.current(ctx.app), scene.feed_of(row)
    if feed is None:
        if row.kind != "headphones":
            return []
        output = feeds.outputs.get(row.key)
        return list(audit_output(None if output is None else _title(system, output)))
    trouble = feeds.troubles.get(row.key)
    if system.seen.missing is not None:
        trouble = _NOT_HERE
    name = system.input_name(row.key)
    return list(
        audit_feed(
            [_recording(one) for one in system.seen.listeners if one.microphone == name],
            feed=feed,
            trouble=trouble,
        )
    )


def left_to_do(ctx: RigContext) -> list[str]:
    """Programs that record the microphone itself."""
    system = ctx.app.world.system
    raw = _raw(ctx)
    if system is None or raw is None:
        return []
    return list(
        left_to_move([_recording(one) for one in system.seen.listeners if one.microphone == raw])
    )


def _raw(ctx: RigContext) -> str | None:
    device = rig_device(ctx)
    return None if device is None else device.id


def _recording(one: SystemListener) -> ProgramRecording:
    return ProgramRecording(one.program, one.volume_percent, one.muted)


def _title(system: SystemSound, name: str | None) -> str | None:
    """A device's name for people."""
    found = next((device for device in system.seen.devices if device.id == name), None)
    return name if found is None else found.title
