"""What is told of what happened, and what one press does about it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.noticing.state import Notice, current
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.setup.following import align_controls, rederive_plan

if TYPE_CHECKING:
    from obsidian_wren.core.prove.change import SoundingChange
    from obsidian_wren.core.prove.drift import Drift, DriftCause

_NEAREST_CM, _FARTHEST_CM = 2.0, 160.0


def causes_of(app: AppContext, change: SoundingChange) -> Drift:
    """What explains a change, with what is known of the rig."""
    from obsidian_wren.core.noticing.causes import live_causes

    with app.sessions() as session:
        distance_cm = in_hand(app, session).rig.distance_cm
    return live_causes(change, distance_m=distance_cm / 100.0 if distance_cm else None)


def tell(app: AppContext, code: str, drift: Drift) -> None:
    """Say once what happened: in every page, and as a notification where one was allowed."""
    from obsidian_wren.core.prove.drift_words import say

    cause = next(each for each in drift.causes if each.code == code)
    with app.sessions() as session:
        ctx = in_hand(app, session)
        cardioid = ctx.rig.microphone.pattern == "cardioid"
        said = say(
            cause,
            drift,
            distance_known=bool(ctx.rig.distance_cm),
            cardioid_deg=ctx.rig.angle_deg if cardioid else None,
        )
        fact, value = _takes_over(ctx, cause)
    notice = Notice(code, said.sentence, said.action, now(), fact, value)
    current(app).notice = notice
    app.bus.tell("noticed", {"sentence": notice.sentence, "action": notice.action})
    app.changed()


def _takes_over(ctx: RigContext, cause: DriftCause) -> tuple[str | None, float | None]:
    """The fact of the rig that physics can follow, and what it is now."""
    if cause.estimate is None:
        return None, None
    if cause.code == "distance" and ctx.rig.distance_cm:
        return "distance_cm", min(max(round(cause.estimate), _NEAREST_CM), _FARTHEST_CM)
    # A simulated preamp really stands where it was put.
    if cause.code == "gain" and ctx.rig.gain_db is not None and ctx.rig.source != "simulated":
        return "gain_db", round(ctx.rig.gain_db + cause.estimate, 1)
    return None, None


def take_over(app: AppContext) -> None:
    """Let the rig stand as it was noticed: what follows from it by physics is predicted, the rest
    is marked for another take. Raises Refused."""
    notice = current(app).notice
    if notice is None or notice.fact is None or notice.value is None:
        raise Refused(
            "nothing-noticed", _("There is nothing to take over. Check what changed instead.")
        )
    refuse_during_take(app)
    with change(app, _("Took over what was noticed")) as session:
        setattr(the_rig(app, session), notice.fact, notice.value)
        session.flush()
        align_controls(in_hand(app, session))
    rederive_plan(app)
    put_aside(app)


def put_aside(app: AppContext) -> None:
    """Say no more of it until it has been gone."""
    current(app).notice = None
    app.changed()


def watch_live(app: AppContext, on: bool) -> None:
    """Notice what happens to the rig while live, or do not."""
    with app.sessions.begin() as session:
        scene.live_wish(session).watches = on
    if not on:
        current(app).notice = current(app).fault = None
    app.changed()
