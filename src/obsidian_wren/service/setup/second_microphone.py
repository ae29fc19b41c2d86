"""The better of two microphones goes into the rig, or is fitted to sound like the other."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration.catching_up import follow_change
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_another_rig, refuse_during_take
from obsidian_wren.service.prove.checks import room_of
from obsidian_wren.service.prove.two import ComparedMicrophones, spoken_of
from obsidian_wren.service.prove.two_takes import SECOND, beside_of, names_of
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.rig.rigs import in_hand, is_in_hand
from obsidian_wren.service.setup.following import rederive_plan
from obsidian_wren.service.takes.keeping import keep
from obsidian_wren.store import parts
from obsidian_wren.store.models import MicrophoneRow, Reading, Rig, Take

_CHANNELS = 2


def name_second(app: AppContext, take_id: int, name: str) -> None:
    """Say what the microphone on the second channel of a take is called."""
    with app.lock, app.sessions.begin() as session:
        take = _both(app, session.get(Take, take_id))
        ctx = RigContext.of(app, session, take.rig_id)
        beside = beside_of(ctx, take)
        beside.facts = {**beside.facts, SECOND: name.strip() or None}
        session.flush()
        reading = session.get(Reading, take.id)
        if reading is not None:
            kept = convert(ComparedMicrophones, reading.body).named(*names_of(ctx, take))
            reading.body = to_jsonable(kept)
    app.changed()


def use_second(app: AppContext, take_id: int) -> None:
    """Put the microphone of the second channel into the rig in hand. What was measured with the
    first stays, marked as outdated. Raises Refused."""
    with app.sessions() as session:
        take = _both(app, session.get(Take, take_id))
        name = names_of(RigContext.of(app, session, take.rig_id), take)[1]
    with change(app, _("Put {name} into the rig", name=name)) as session:
        refuse_during_take(app)
        refuse_another_rig(app)
        ctx = in_hand(app, session)
        if take.rig_id != ctx.rig.id:
            raise Refused(
                "another-rig",
                _("Both were recorded with another rig. Switch to that rig first."),
            )
        _put_in(ctx, name)
    rederive_plan(app)
    app.changed()


def _put_in(ctx: RigContext, name: str) -> None:
    session, rig = ctx.session, ctx.rig
    microphone = session.scalars(select(MicrophoneRow).where(MicrophoneRow.name == name)).first()
    if microphone is None:
        # Nothing is known of it but its name: the kind is the one that is asked for first.
        microphone = MicrophoneRow(
            name=name, kind=rig.microphone.kind, pattern=rig.microphone.pattern
        )
        session.add(microphone)
        session.flush()
    rig.microphone_id = microphone.id
    if rig.source == "simulated":
        rig.spec_json = ctx.app.world.swap_inputs(rig.spec_json)
        rig.gain_db = None
    else:
        rig.channel = _CHANNELS if rig.channel in (None, 1) else 1
    session.flush()
    session.refresh(rig)


@dataclass(frozen=True)
class _Sound:
    purpose: str
    samples: Samples


def sound_like_first(app: AppContext, take_id: int) -> None:
    """Put the second microphone into the rig and fit it to sound like the first: its room and
    sentence become the rig's takes, the first's sentence the reference. Raises Refused."""
    with app.sessions() as session:
        take = _both(app, session.get(Take, take_id))
        ctx = RigContext.of(app, session, take.rig_id)
        if not is_in_hand(session, ctx.rig):
            raise Refused(
                "another-rig",
                _("Both were recorded with another rig. Switch to that rig first."),
            )
        beside = beside_of(ctx, take)
        first, second = (measuring.samples_of(app, one) for one in (take, beside))
        rate, source, at = take.rate_hz, take.source, take.taken_at
    use_second(app, take_id)
    with app.sessions() as session:
        ctx = in_hand(app, session)
        facts, rig_id = facts_of(ctx), ctx.rig.id
    talk = spoken_of(second, rate)
    for sound in (
        _Sound("rest", room_of(second, rate)),
        _Sound("talk", talk),
        _Sound("reference", spoken_of(first, rate)),
        _Sound("passage", talk),
    ):
        info = parts.PartInfo(
            purpose=sound.purpose,
            rate_hz=rate,
            source=source,
            facts=facts,
            started_at=at,
            notes=(_("From two microphones at once."),),
            rig_id=rig_id,
        )
        keep(app, info, sound.samples, half=False)
    with change(app, _("Fitted one microphone to sound like another")) as session:
        rig = session.get_one(Rig, rig_id)
        rig.preferences = {**rig.preferences, "target": {"kind": "reference take"}}
        session.flush()
        follow_change(in_hand(app, session), refit=True)
    app.changed()


def _both(app: AppContext, take: Take | None) -> Take:
    if take is None or take.purpose != "both" or take.discarded or take.fault is not None:
        raise Refused("no-take", _("This take of two microphones is gone. Record both again."))
    return take
