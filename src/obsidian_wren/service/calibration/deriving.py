"""From readings to answers: what a new take, a change or one press derives anew."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from functools import partial

from obsidian_wren.core.wording import _
from obsidian_wren.service import calibration
from obsidian_wren.service.calibration.diagram import draw
from obsidian_wren.service.calibration.dials import learn_control
from obsidian_wren.service.calibration.kept_words import keep_language
from obsidian_wren.service.calibration.levels import derive_levels
from obsidian_wren.service.calibration.take_sets import ring_of
from obsidian_wren.service.calibration.voice import derive_voice
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings.lost_sounds import doing_without
from obsidian_wren.service.readings.staleness import sources_now, stale_answer
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation, Take


def derive_after_take(ctx: RigContext, take: Take) -> None:
    """What a new take gives.

    A new passage is fitted at once; a new quiet take leaves the fit stale.
    """
    doing_without(ctx, lambda: _derive_after_take(ctx, take))


@contextmanager
def waiting(app: AppContext) -> Iterator[None]:
    """What comes inside is measured only: the take that follows has everything derived."""
    state = calibration.current(app)
    state.waits = True
    try:
        yield
    finally:
        state.waits = False


def _derive_after_take(ctx: RigContext, take: Take) -> None:
    if calibration.current(ctx.app).waits:
        return
    if take.purpose == "dial":
        learn_control(ctx, take)
        ctx.look_again()
    if take.purpose in ("clap", "sweep") and ring_of(ctx) is None:
        raise Refused(
            "no-decay",
            _(
                "No octave of it decays far enough above the room's noise. Clap once, louder,"
                " or make the room quieter, and record again."
            ),
        )
    if not _is_fitted(ctx) or take.purpose == "passage":
        # Every word that is kept comes from here.
        keep_language(ctx)
    derive_levels(ctx)
    uses_reference = ctx.rig.preferences.get("target", {}).get("kind") == "reference take"
    derive_voice(
        ctx,
        # Resonances that a clap shows are cut, so the tone is fitted anew where there is one.
        refit=take.purpose == "passage"
        or (take.purpose in ("clap", "sweep") and ctx.takes.passage is not None)
        or (take.purpose == "reference" and uses_reference and ctx.takes.passage is not None)
        or (take.purpose == "phone" and ctx.takes.passage is not None),
    )
    draw(ctx)


def derive_after_change(ctx: RigContext, *, refit: bool = False) -> None:
    """What a person's change of pins, switches, preferences or takes gives: evidence, chain and
    diagram anew.

    ``refit``: the change was of what the tone is fitted to, so it is fitted again where there is a
    passage.
    """

    doing_without(ctx, lambda: derive_everything(ctx, refit=refit))


def derive_everything(ctx: RigContext, *, refit: bool) -> None:
    """Evidence, chain and diagram, from sounds that are there. Raises SoundLost where one is
    not."""
    derive_levels(ctx)
    derive_voice(ctx, refit=refit and ctx.takes.passage is not None)
    draw(ctx)
    if refit:
        keep_language(ctx)


def derive_rig(app: AppContext, rig_id: int, refit: bool) -> None:
    """What a change of a rig gives, in a transaction of its own."""
    with app.sessions.begin() as session:
        derive_after_change(RigContext.of(app, session, rig_id), refit=refit)


def derive_again(app: AppContext, *, refit: bool = False) -> None:
    """One press: everything that the takes at hand can give, where it stands, is derived anew.

    Pins stay.

    Where only gain was turned since a take, its levels are moved by physics, and what follows is
    marked as predicted. Raises Refused where it was ended.
    """
    now = calibration.current(app)
    asked = now.asked_to_fit if refit else now.asked_to_derive
    number = asked.ask()
    with now.one_at_a_time:
        if asked.is_answered(number):
            # Asked for while another waited: what was derived since saw everything that this one
            # would.
            return
        with asked.answering():
            app.work(_derive_whole, refit)
    app.changed()


def _derive_whole(app: AppContext, refit: bool) -> None:
    with told(app) as go_on, app.sessions.begin() as session:
        ctx = in_hand(app, session)
        ctx.go_on = go_on
        doing_without(ctx, lambda: _derive_again(ctx, refit))


def told(app: AppContext) -> AbstractContextManager[Callable[[], None]]:
    """Every page is told how far it is and may end it; gives what is called at each answer."""
    return calibration.current(app).working.told(partial(_tell, app))


def end_deriving(app: AppContext) -> None:
    """Let what is being derived stand as it was. Waits for nothing."""
    if app.worker is not None:
        app.worker.say(end_deriving)
    calibration.current(app).working.end()


def _tell(app: AppContext, share: float | None) -> None:
    app.bus.tell("working", {"share": share})


def _derive_again(ctx: RigContext, refit: bool) -> None:
    derive_levels(ctx)
    stale = stale_answer(ctx, "equalizer", sources_now(ctx))
    fits = ctx.takes.passage is not None and (refit or not _is_fitted(ctx) or bool(stale))
    derive_voice(ctx, refit=fits)
    draw(ctx)
    if fits or not _is_fitted(ctx):
        keep_language(ctx)


def _is_fitted(ctx: RigContext) -> bool:
    return ctx.session.get(Derivation, (ctx.rig.id, "tone")) is not None
