"""The microphone of the system that the rig uses, as a stream of one channel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import cast

from obsidian_wren.core.derive.sound_device import SoundDevice
from obsidian_wren.core.measure.channels import is_empty
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import LiveMicrophone, NoSoundServer, SystemSound
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import rig_device
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.voice.channel import OneChannel


def no_system() -> Refused:
    """Told where a microphone of this computer is asked for in a simulated world."""
    return Refused(
        "no-system",
        _(
            "Everything here is simulated, so there is no microphone of this computer. Start"
            " “obsidian-wren serve” for your own."
        ),
    )


def microphone_of(ctx: RigContext) -> SoundDevice:
    """The rig's microphone among the devices. Raises Refused where it is not there, with what to
    do."""
    system = ctx.app.world.system
    if system is None:
        raise no_system()
    missing = system.seen.missing
    if missing is not None:
        raise Refused(
            missing[0],
            _("{missing} The browser’s microphone works without it.", missing=missing[1]),
        )
    device = rig_device(ctx)
    if device is None:
        raise Refused(
            "no-device",
            _(
                "The rig’s microphone is not connected. Plug it in, or choose another one in"
                " Rig, Sound settings."
            ),
        )
    return device


def open_microphone(
    ctx: RigContext,
    *,
    block_s: float,
    patience_s: float | None = None,
    channels: int | None = None,
) -> LiveMicrophone:
    """The rig's microphone with its first channels, or all of them, at its own rate.

    Raises Refused where it is not there, with what to do.
    """
    device = microphone_of(ctx)
    system = cast(SystemSound, ctx.app.world.system)
    # The voice reads one channel: whoever wants to hear which of several is spoken into opens all.
    whole = device.channels == 1 or (channels or ctx.rig.channel) == channel_of(ctx)
    lent = ctx.app.own(Lent).lend(device.id) if whole else None
    if lent is not None:
        return lent
    try:
        return system.open_microphone(
            device.id, channels=channels, block_s=block_s, patience_s=patience_s
        )
    except (SourceGone, NoSoundServer) as error:
        raise Refused("gone", str(error)) from error


@dataclass
class Lent:
    """Who is live on a microphone lends it: takes, and whoever listens in, read the same stream.
    ``lend`` gives a stream of one channel, by the name of the microphone, None where it is not
    live."""

    lend: Callable[[str], LiveMicrophone | None] = lambda name: None


def channel_of(ctx: RigContext) -> int:
    """Which channel is the voice’s, counted from 1: the one that the person says, else the one that
    the takes were made of."""
    if ctx.rig.channel is not None:
        return ctx.rig.channel
    take = current_takes(ctx.session, ctx.rig).talk
    heard = None if take is None else take.channels
    if heard and len(heard["levels_dbfs"]) > 1 and is_empty(heard["levels_dbfs"], 1):
        return int(heard["loudest"])
    return 1


def open_voice(ctx: RigContext, *, block_s: float, patience_s: float | None = None) -> OneChannel:
    """The rig's microphone as a stream of the voice's channel. Raises Refused."""
    channel = channel_of(ctx)
    return OneChannel(
        open_microphone(ctx, block_s=block_s, patience_s=patience_s, channels=channel), channel - 1
    )
