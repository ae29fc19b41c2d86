"""What a check heard becomes the takes of the calibration, where something moved for good."""

from __future__ import annotations

from obsidian_wren.core.prove.found import FoundCheck
from obsidian_wren.core.wording import _
from obsidian_wren.service import prove
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.checks import ROOM_S, room_of
from obsidian_wren.service.readings import measuring, staleness
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.store import parts
from obsidian_wren.store.models import Reading, Take


def keep_what_moved(app: AppContext, take_id: int) -> None:
    """Make takes of the room and the sentence of a check, as far as something stands on what
    moved or does not hold any more; what follows is derived. Raises Refused."""
    with app.sessions() as session:
        take, reading = session.get(Take, take_id), session.get(Reading, take_id)
        if take is None or reading is None or take.purpose != "check" or take.discarded:
            raise Refused("no-check", _("This check no longer exists. Check again."))
        purposes = prove.purposes_kept(
            [cause.code for cause in convert(FoundCheck, reading.body).causes]
        )
        samples = measuring.samples_of(app, take)
        ctx = RigContext.of(app, session, take.rig_id)
        present = staleness.sources_now(ctx)
        outdated = {
            purpose
            for purpose in prove.KEPT
            if (older := ctx.takes.of(purpose)) is not None and staleness.stale_take(older, present)
        }
    if not purposes:
        raise Refused(
            "nothing-to-keep",
            _(
                "There is nothing to take over from this check. Follow its advice, then check"
                " again."
            ),
        )
    split = round(ROOM_S * take.rate_hz)
    room = room_of(samples, take.rate_hz)
    for purpose in prove.KEPT:
        if purpose not in purposes and purpose not in outdated:
            continue
        info = parts.PartInfo(
            purpose=purpose,
            rate_hz=take.rate_hz,
            source=take.source,
            facts=take.facts,
            started_at=take.taken_at,
            notes=(_("From a check."),),
            rig_id=take.rig_id,
        )
        keep(app, info, room if purpose == "rest" else samples[split:], half=False)
    deriving.derive_again(app)
