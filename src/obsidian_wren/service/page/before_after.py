"""The person's own passage before and after, as it is shown at the end of the guided run."""

from __future__ import annotations

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.learned import MovingEvidence
from obsidian_wren.core.measure.words import find_words, seldom_exceeded_dbfs
from obsidian_wren.core.prove.before_after import STEP_S, BeforeAfter, before_after, sentences
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.sounds import through
from obsidian_wren.service.page import views
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation


def shown(app: AppContext) -> views.BeforeAfterView:
    """What treating changed of the newest passage, else of normal talk; raises Refused where
    there is nothing to compare yet."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        take, specs = ctx.takes.passage or ctx.takes.voice, chain_rows.chain_specs(ctx)
        if take is None or ctx.takes.quiet is None or specs is None:
            raise Refused(
                "no-chain",
                _("There is nothing to treat it with yet: fit the tone first."),
            )
        raw, rate = measuring.samples_of(app, take), take.rate_hz
        room_dbfs = _seldom_dbfs(ctx)
        moving = _moving(ctx)
        digest, take_id = take.sha256, take.id
    found: BeforeAfter | None = app.answers.get(
        ("before and after", digest, room_dbfs, tuple(specs)),
        lambda: before_after(
            raw,
            through(app, digest, raw, specs, rate),
            rate_hz=rate,
            words=find_words(raw, rate_hz=rate, room_dbfs=room_dbfs),
        ),
    )
    if found is None:
        raise Refused("no-voice", _("No voice was found in this take. Record it again."))
    return views.BeforeAfterView(
        take_id=take_id,
        step_s=STEP_S,
        found=found,
        sentences=sentences(found, () if moving is None else moving.kinds),
    )


def _seldom_dbfs(ctx: RigContext) -> float:
    """A level that the room seldom exceeds in 5 ms frames, at the gain of the passage."""
    rest, voice = ctx.takes.quiet, ctx.takes.passage or ctx.takes.voice
    assert rest is not None and voice is not None
    quiet = measuring.undisturbed(ctx.app, rest) * amplitude_from_db(
        measuring.room_shift_db(rest, voice, ctx.rig)
    )
    return seldom_exceeded_dbfs(quiet, rate_hz=rest.rate_hz)


def _moving(ctx: RigContext) -> MovingEvidence | None:
    """What moves in the room in use, where the stage that takes it down runs."""
    row = ctx.session.get(Derivation, (ctx.rig.id, "clean"))
    runs = any(stage.kind == "learned" and stage.on for stage in chain_rows.chain_specs(ctx) or ())
    if row is None or not runs or not row.body.get("learned"):
        return None
    return convert(MovingEvidence, row.body["learned"])
