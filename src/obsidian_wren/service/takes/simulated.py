"""Takes from the simulated rig, at real pace or fast."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import func, select

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.take_length import UNTIL_STEADY_S
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import Controls
from obsidian_wren.service import takes
from obsidian_wren.service.context import AppContext, Pace
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import controls_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.takes.beginning import (
    DEFAULT_SECONDS,
    begin,
    require_length,
)
from obsidian_wren.service.takes.from_stream import record
from obsidian_wren.service.words import Control, Purpose
from obsidian_wren.store.models import Take

_ALL_SAID_S = UNTIL_STEADY_S


def _heard(
    app: AppContext, spec: str, purpose: str, seconds: float, repeat: int, controls: Controls
) -> Samples:
    """All that a simulated rig hears in a take, ``(n,)`` or ``(n, channels)``."""
    stream = app.world.open_source(spec).open_take(
        purpose, seconds=seconds, repeat=repeat, controls=controls
    )
    return stream.read(round(seconds * stream.rate_hz))


class _WholeTake:
    """A sound that is there already, as a stream."""

    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._samples = samples

    def read(self, count: int) -> Samples:
        block, self._samples = self._samples[:count], self._samples[count:]
        return block

    def close(self) -> None:
        """There is nothing to let go of."""


def _controls_for(
    ctx: RigContext, purpose: str, position: float | None, learns: Control
) -> Controls:
    """Where the simulated rig's controls stand for a take; they go back after it."""
    controls = controls_of(ctx)
    if position is None:
        return controls
    if purpose == "other-gain":
        return replace(controls, gain_db=position, dial=None)
    if purpose == "dial":
        return (
            replace(controls, slider_percent=position)
            if learns == "slider"
            else replace(controls, dial=position)
        )
    return controls


def start_simulated(
    app: AppContext,
    purpose: Purpose,
    *,
    seconds: float | None = None,
    pace: Pace | None = None,
    position: float | None = None,
    learns: Control = "preamp",
    until_steady: bool = False,
) -> None:
    """Begin a take from the simulated rig; it ends by itself, at the latest after its seconds,
    earlier when talk is steady."""
    wanted = seconds or DEFAULT_SECONDS[purpose]
    if until_steady:
        wanted = min(seconds or _ALL_SAID_S, _ALL_SAID_S)
    require_length(wanted)
    if takes.current(app).running is not None:
        raise Refused("take-runs", _("A take is already running. Stop it first."))
    with app.sessions() as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        if rig.source != "simulated":
            raise Refused(
                "source",
                _("The simulated rig is not the source. Choose it in Rig, or use your own sound."),
            )
        repeat = (
            session.scalar(select(func.count()).select_from(Take).where(Take.purpose == purpose))
            or 0
        )
        controls = _controls_for(ctx, purpose, position, learns)
        spec, rate_hz = rig.spec_json, app.world.rate_of(rig.spec_json)
    heard = app.work(_heard, spec, purpose, wanted, repeat, controls)
    running = begin(
        app,
        purpose,
        wanted,
        "simulated",
        rate_hz,
        position=position,
        learns=learns,
        channels=1 if heard.ndim == 1 else heard.shape[1],
        until_steady=until_steady,
    )
    worker = record(app, running, _WholeTake(heard, rate_hz), pace=pace or app.pace)
    if (pace or app.pace) == "fast":
        worker.join()
