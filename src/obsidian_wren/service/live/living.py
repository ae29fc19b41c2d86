"""Being live: starting, stopping, going on after a restart, and the return."""

from __future__ import annotations

from contextlib import suppress

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import BLOCK_RANGE_MS, BUFFER_RANGE_MS
from obsidian_wren.core.mix.return_plan import ReturnPlan
from obsidian_wren.core.mix.returns import derive_return
from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.monitor import hear_in_headphones
from obsidian_wren.service.live.preparing import prepare, prepare_anew, take_over
from obsidian_wren.service.live.recording import close_recording
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes import mixing, scene
from obsidian_wren.service.recording.recording import refuse_while_recording
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.workshop import Workshop


def start_run(ws: Workshop, *, browser_rate_hz: int | None = None) -> None:
    """Go live: the voice and all that goes with it run into every mix.

    For the browser's microphone its rate is given, pieces follow.
    """
    mixing.work_out(ws)
    with ws.lock:
        if current(ws).running is not None:
            raise Refused("live", _("It is live already."))
        with ws.sessions.begin() as session:
            prepared = prepare(ws, session, browser_rate_hz)
            scene.live_wish(session).live = True
        take_over(ws, prepared)
    ws.changed()


def hold_block(ws: Workshop, block_ms: float | None) -> None:
    """Hold the size of a block, or let the measured one stand (None)."""
    _require_within(block_ms, BLOCK_RANGE_MS, "A block")
    _hold(ws, "block_ms", block_ms)


def _require_within(value: float | None, limits: tuple[float, float], what: str) -> None:
    low, high = limits
    if value is not None and not low <= value <= high:
        raise Refused(
            "range",
            _(
                "{what} lasts from {low:g} to {high:g} ms. Choose a value in between.",
                what=what,
                low=low,
                high=high,
            ),
        )


def hold_buffer(ws: Workshop, held_ms: float | None) -> None:
    """Hold what waits at each listener beyond a block, or let the measured one stand (None)."""
    _require_within(held_ms, BUFFER_RANGE_MS, "A buffer")
    _hold(ws, "buffer_ms", held_ms)


def _hold(ws: Workshop, what: str, held_ms: float | None) -> None:
    refuse_while_recording(ws)
    with ws.lock:
        with ws.sessions.begin() as session:
            setattr(scene.live_wish(session), what, held_ms)
            prepared = prepare_anew(ws, session)
        take_over(ws, prepared)
    ws.changed()


def push_live(ws: Workshop, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    pushed = current(ws).pushed
    if current(ws).running is None or pushed is None:
        raise Refused("not-live", _("It is not live any more."))
    pushed.push(samples)


def stop_run(ws: Workshop) -> None:
    """Stop being live; a recording that runs is closed and kept."""
    if current(ws).run is None:
        raise Refused("not-live", _("It is not live."))
    leave_run(ws)
    with ws.sessions.begin() as session:
        scene.live_wish(session).live = False
    ws.changed()


def leave_run(ws: Workshop, *, goes_on: bool = False) -> None:
    """Stop being live here, whatever the person wants of it; a recording that runs is closed and
    kept. ``goes_on``: a voice of a process of its own goes on."""
    close_recording(ws)
    run, current(ws).run = current(ws).run, None
    if run is not None:
        if goes_on:
            run.over()
        else:
            run.stop()
    hear_in_headphones(ws)


def lose_source(ws: Workshop, name: str) -> None:
    """The device that is heard went away.

    Whoever was live still wants to be: it goes on when the device is back.
    """
    run = current(ws).running
    if run is None:
        return
    close_recording(ws)
    run.stop_because(
        _(
            "{name} went away, so listeners get silence. It continues by itself when the device"
            " is back.",
            name=name,
        )
    )
    ws.changed()


def resume_run(ws: Workshop) -> bool:
    """Go live again where the person was when the program ended or the device went away.

    A page has to open a microphone of its own first.
    """
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        if not scene.live_wish(session).live or rig.source == "browser":
            return False
    if current(ws).running is not None:
        return False
    try:
        start_run(ws)
    except Refused:
        return False
    return True


def get_ready(ws: Workshop) -> None:
    """Let the voice load what being live would need, and find out what blocks cost, before anybody
    asks for it."""
    if ws.pace == "fast" or current(ws).running is not None:
        return
    with suppress(Refused), ws.sessions() as session:
        prepare(ws, session, None)


def _return_plan(_ws: Workshop, sound: Samples, rate_hz: int) -> ReturnPlan | None:
    return derive_return(sound, rate_hz=rate_hz)


def treat_returns(ws: Workshop) -> int:
    """Measure what came back from each listener so far and treat it; returns how many could be."""
    run = current(ws).running
    if run is None:
        raise Refused("not-live", _("Nothing is live, so there is no return. Start live first."))
    done = 0
    for of, sound in run.returned().items():
        plan = ws.work(_return_plan, sound, run.rate_hz)
        if plan is not None:
            current(ws).return_plans[of] = plan
            run.treat_return(of, plan.specs)
            done += 1
    if not done:
        raise Refused(
            "too-short",
            _(
                "The returns are too short yet: let the other side talk for some seconds, then"
                " measure again."
            ),
        )
    ws.changed()
    return done
