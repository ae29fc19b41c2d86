"""Being live: starting, stopping, going on after a restart, and the return."""

from __future__ import annotations

from contextlib import suppress

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import BLOCK_RANGE_MS, BUFFER_RANGE_MS
from obsidian_wren.core.mix.return_plan import ReturnPlan
from obsidian_wren.core.mix.returns import derive_return
from obsidian_wren.core.wording import _
from obsidian_wren.service import recording
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.loudspeaker import decided
from obsidian_wren.service.live.monitor import hear_in_headphones
from obsidian_wren.service.live.preparing import prepare, prepare_anew, take_over
from obsidian_wren.service.live.recording import close_recording
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes import mixing, scene
from obsidian_wren.service.recording.recording import refuse_while_recording
from obsidian_wren.service.rig.rigs import in_hand, the_rig


def start_run(app: AppContext, *, browser_rate_hz: int | None = None) -> None:
    """Go live: the voice and all that goes with it run into every mix.

    For the browser's microphone its rate is given, pieces follow.
    """
    mixing.work_out(app)
    with app.lock:
        if current(app).running is not None:
            raise Refused("live", _("You are live already."))
        with app.sessions.begin() as session:
            prepared = prepare(app, session, browser_rate_hz)
            scene.live_wish(session).live = True
        take_over(app, prepared)
    app.changed()


def hold_block(app: AppContext, block_ms: float | None) -> None:
    """Hold the size of a block, or let the measured one stand (None)."""
    _require_within(block_ms, BLOCK_RANGE_MS, "A block")
    _hold(app, "block_ms", block_ms)


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


def hold_buffer(app: AppContext, held_ms: float | None) -> None:
    """Hold what waits at each listener beyond a block, or let the measured one stand (None)."""
    _require_within(held_ms, BUFFER_RANGE_MS, "A buffer")
    _hold(app, "buffer_ms", held_ms)


def take_loudspeaker_out(app: AppContext, wanted: bool | None) -> None:
    """Let what a loudspeaker plays be taken out, or left, or as derived (None)."""
    _hold(app, "loudspeaker", wanted)


def follow_output(app: AppContext) -> None:
    """Where headphones play now in place of a loudspeaker, or the other way round, what is live
    goes on like that. What is recorded is not cut for it."""
    run = current(app).running
    if run is None or recording.current(app).recorder is not None:
        return
    with suppress(Refused), app.lock:
        with app.sessions.begin() as session:
            if decided(in_hand(app, session)).known_from == run.wanted.played:
                return
            prepared = prepare_anew(app, session)
        take_over(app, prepared)


def follow_input(app: AppContext) -> None:
    """What is live goes on with the input of this computer that the rig is heard through now; with
    the one before while something is recorded, or where the new one is not there."""
    if current(app).running is None or recording.current(app).recorder is not None:
        return
    with suppress(Refused), app.lock:
        with app.sessions.begin() as session:
            if the_rig(app, session).source != "system":
                return
            prepared = prepare_anew(app, session)
        take_over(app, prepared)


def _hold(app: AppContext, what: str, held: float | bool | None) -> None:
    refuse_while_recording(app)
    with app.lock:
        with app.sessions.begin() as session:
            setattr(scene.live_wish(session), what, held)
            prepared = prepare_anew(app, session)
        take_over(app, prepared)
    app.changed()


def push_live(app: AppContext, samples: Samples) -> None:
    """The next piece of the browser's microphone."""
    pushed = current(app).pushed
    if current(app).running is None or pushed is None:
        raise Refused("not-live", _("You are no longer live."))
    pushed.push(samples)


def stop_run(app: AppContext) -> None:
    """Stop being live; a recording that runs is closed and kept."""
    if current(app).run is None:
        raise Refused("not-live", _("You are not live."))
    leave_run(app)
    with app.sessions.begin() as session:
        scene.live_wish(session).live = False
    app.changed()


def leave_run(app: AppContext, *, goes_on: bool = False) -> None:
    """Stop being live here, whatever the person wants of it; a recording that runs is closed and
    kept. ``goes_on``: a voice of a process of its own goes on."""
    close_recording(app)
    run, current(app).run = current(app).run, None
    if run is not None:
        if goes_on:
            run.over()
        else:
            run.stop()
    hear_in_headphones(app)


def lose_source(app: AppContext, name: str) -> None:
    """The device that is heard went away.

    Whoever was live still wants to be: it goes on when the device is back.
    """
    run = current(app).running
    if run is None:
        return
    close_recording(app)
    run.stop_because(
        _(
            "{name} was disconnected, so listeners get silence. It continues by itself when the"
            " device is back.",
            name=name,
        )
    )
    app.changed()


def resume_run(app: AppContext) -> bool:
    """Go live again where the person was when the program ended or the device went away.

    A page has to open a microphone of its own first.
    """
    with app.sessions() as session:
        rig = the_rig(app, session)
        if not scene.live_wish(session).live or rig.source == "browser":
            return False
    if current(app).running is not None:
        return False
    try:
        start_run(app)
    except Refused:
        return False
    return True


def get_ready(app: AppContext) -> None:
    """Let the voice load what being live would need, and find out what blocks cost, before anybody
    asks for it."""
    if app.pace == "fast" or current(app).running is not None:
        return
    with suppress(Refused), app.sessions() as session:
        prepare(app, session, None)


def _return_plan(_app: AppContext, sound: Samples, rate_hz: int) -> ReturnPlan | None:
    return derive_return(sound, rate_hz=rate_hz)


def treat_returns(app: AppContext) -> int:
    """Measure what came back from each listener so far and treat it; returns how many could be."""
    run = current(app).running
    if run is None:
        raise Refused("not-live", _("You are not live, so there is no return. Start live first."))
    done = 0
    for of, sound in run.returned().items():
        plan = app.work(_return_plan, sound, run.rate_hz)
        if plan is not None:
            current(app).return_plans[of] = plan
            run.treat_return(of, plan.specs)
            done += 1
    if not done:
        raise Refused(
            "too-short",
            _(
                "The returns are too short: let the other side talk for some seconds, then"
                " measure again."
            ),
        )
    app.changed()
    return done
