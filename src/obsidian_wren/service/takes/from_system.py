"""Takes of a microphone of the system, without a browser between: at its own rate, with the
channels that it gives."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.system_sound import LiveMicrophone, NoSoundServer
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import rig_device
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.system_microphone import open_microphone
from obsidian_wren.service.takes.beginning import DEFAULT_SECONDS, begin, require_length
from obsidian_wren.service.takes.from_stream import BLOCK_S, record
from obsidian_wren.service.words import Control, Purpose

# What the microphone keeps for us while something else holds this thread up.
_PATIENCE_S = 10.0


class _Channels:
    """All channels of a microphone, or the one that the person chose, counted from 1."""

    def __init__(self, microphone: LiveMicrophone, channel: int | None) -> None:
        self._microphone, self._channel = microphone, channel
        self.rate_hz = microphone.rate_hz
        self.channels = 1 if channel is not None else microphone.channels

    def read(self, count: int) -> Samples:
        block = self._microphone.read(count)
        if self._microphone.gaps:
            raise SourceGone(
                _(
                    "This computer was too busy to record all of the sound, so the take has a"
                    " gap. Close other programs, then record it again."
                )
            )
        if block.ndim == 1 or self._channel is None:
            return block
        return np.ascontiguousarray(block[:, min(self._channel, block.shape[1]) - 1])

    def close(self) -> None:
        self._microphone.close()


def start_system(
    app: AppContext,
    purpose: Purpose,
    *,
    seconds: float | None = None,
    position: float | None = None,
    learns: Control = "preamp",
    until_steady: bool = False,
) -> None:
    """Begin a take of the rig's microphone; it ends by itself.

    A dial take that learns the system's slider sets it for as long as the take lasts. Raises
    Refused where the microphone is not there.
    """
    wanted = seconds or DEFAULT_SECONDS[purpose]
    require_length(wanted)
    if takes.current(app).running is not None:
        raise Refused("take-runs", _("A take is already running. Stop it first."))
    with app.sessions() as session:
        ctx = in_hand(app, session)
        slides = purpose == "dial" and learns == "slider" and position is not None
        back = _slide(ctx, position) if slides and position is not None else None
        try:
            stream = _Channels(
                open_microphone(ctx, block_s=BLOCK_S, patience_s=_PATIENCE_S), ctx.rig.channel
            )
        except BaseException:
            _slide_back(app, back)
            raise
    try:
        running = begin(
            app,
            purpose,
            wanted,
            "system",
            stream.rate_hz,
            position=position,
            learns=learns,
            channels=stream.channels,
            until_steady=until_steady,
        )
    except BaseException:
        stream.close()
        _slide_back(app, back)
        raise
    record(app, running, stream, pace=None, after=lambda: _slide_back(app, back))
    app.changed()


def _slide(ctx: RigContext, percent: float) -> tuple[str, float]:
    """Set the system's slider; gives whose it is and where it stood. Raises Refused."""
    device, system = rig_device(ctx), ctx.app.world.system
    if device is None or system is None:
        raise Refused(
            "no-device", _("The rig’s microphone is not connected, so its slider cannot be set.")
        )
    try:
        system.set_device(device.id, "slider_percent", percent)
    except (SourceGone, NoSoundServer) as error:
        raise Refused("gone", str(error)) from error
    return device.id, device.slider_percent


def _slide_back(app: AppContext, stood: tuple[str, float] | None) -> None:
    if stood is not None and app.world.system is not None:
        with suppress(SourceGone, NoSoundServer):
            app.world.system.set_device(stood[0], "slider_percent", stood[1])
