"""From readings to answers: each node of the dependency graph derived, kept with what it stood on."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.causes import STEADY_SPREAD_DB, find_causes, is_quiet_enough
from obsidian_wren.core.derive.dial import DialTake, Taper, learn, steady_level
from obsidian_wren.core.derive.expectation import dbfs_of_spl, spl_of_dbfs
from obsidian_wren.core.derive.floor_split import FloorSplit, FloorTake, split_floor
from obsidian_wren.core.derive.gain_plan import GainPlan, GainStage, plan_gain
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.derive.voice_causes import find_voice_causes
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.measure.steadiness import frames_of
from obsidian_wren.formats.plain import plain
from obsidian_wren.service.answers import keep_answer, moved_since
from obsidian_wren.service.diagram import draw
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import (
    has_absolute_gain,
    interface_of,
    microphone_of,
    rig_device,
    sources_now,
    stale_answer,
    taper_row,
    used_by,
)
from obsidian_wren.service.kept import Takes, current_takes
from obsidian_wren.service.lost_sounds import doing_without
from obsidian_wren.service.measuring import quiet_reading, room_shift_db, samples_of, talk_reading
from obsidian_wren.service.rigs import simulated_source, the_rig
from obsidian_wren.service.voice import derive_voice, ring_of
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Rig, Take
from obsidian_wren.store.models import Taper as TaperRow

_FAR_CM = 40.0


def derive_after_take(ws: Workshop, session: Session, rig: Rig, take: Take) -> None:
    """What a new take gives. A new passage is fitted at once; a new quiet take leaves the fit stale."""
    doing_without(session, lambda: _derive_after_take(ws, session, rig, take))


def _derive_after_take(ws: Workshop, session: Session, rig: Rig, take: Take) -> None:
    takes = current_takes(session, rig)
    if take.purpose == "dial":
        _learn(ws, session, rig, take)
    if take.purpose in ("clap", "sweep") and ring_of(ws, takes) is None:
        raise Refused(
            "no-decay",
            "No octave of it decays far enough over the room's noise. Clap louder, once, or quieten the room, and take it again.",
        )
    derive_levels(ws, session, rig)
    uses_reference = rig.wishes.get("target", {}).get("kind") == "reference take"
    derive_voice(
        ws,
        session,
        rig,
        takes,
        refit=take.purpose == "passage" or (take.purpose == "reference" and uses_reference and takes.passage is not None),
    )
    draw(ws, session, rig, takes)


def derive_after_change(ws: Workshop, session: Session, rig: Rig, *, refit: bool = False) -> None:
    """What a person's change of pins, switches, wishes or takes gives: evidence, chain and diagram anew.

    ``refit``: the change was of what the tone is fitted to, so it is fitted again where there is a passage.
    """

    def derive() -> None:
        takes = current_takes(session, rig)
        derive_levels(ws, session, rig)
        derive_voice(ws, session, rig, takes, refit=refit and takes.passage is not None)
        draw(ws, session, rig, takes)

    doing_without(session, derive)


def derive_levels(ws: Workshop, session: Session, rig: Rig) -> None:
    """The parts of the floor, its causes, the noise profile and the gain plan."""
    takes = current_takes(session, rig)
    split = _split(ws, session, rig, takes)
    plan = _plan(ws, session, rig, takes, split)
    _causes(ws, session, rig, takes, split, plan)


def derive_again(ws: Workshop, *, refit: bool = False) -> None:
    """One press: everything that the takes at hand can give, where it stands, is derived anew. Pins stay.

    Where only gain was turned since a take, its levels are moved by physics, and what follows is marked as predicted.
    """
    asked = ws.asked_to_fit if refit else ws.asked_to_derive
    number = asked.ask()
    with ws.lock:
        if asked.is_answered(number):
            # Asked for while another waited: what was derived since saw everything that this one would.
            return
        with asked.answering(), ws.sessions.begin() as session:
            rig = the_rig(ws, session)
            doing_without(session, lambda: _derive_again(ws, session, rig, refit))
    ws.changed()


def _derive_again(ws: Workshop, session: Session, rig: Rig, refit: bool) -> None:
    takes = current_takes(session, rig)
    derive_levels(ws, session, rig)
    fitted = session.get(Derivation, (rig.id, "tone")) is not None
    stale = stale_answer(session, rig, "equalizer", sources_now(ws, session, rig, takes))
    derive_voice(ws, session, rig, takes, refit=takes.passage is not None and (refit or not fitted or bool(stale)))
    draw(ws, session, rig, takes)


def _split(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> FloorSplit | None:
    rest, muted, other = takes.quiet, takes.of("muted"), takes.of("other-gain")
    if rest is None or rest.gain_db is None:
        return None

    def floor(take: Take | None) -> FloorTake | None:
        gain = take.gain_db if take is not None else None
        return None if take is None or gain is None else FloorTake(quiet_reading(ws, take).third_octaves, gain)

    own = None
    if rig.microphone.self_noise_dba is not None and has_absolute_gain(rig):
        own = dbfs_of_spl(
            rig.microphone.self_noise_dba, microphone_of(rig), interface_of(rig), rest.gain_db, pad_on=bool(rest.facts.get("pad_on"))
        )
    split = split_floor(
        FloorTake(quiet_reading(ws, rest).third_octaves, rest.gain_db), muted=floor(muted), other=floor(other), microphone_dbfs_a=own
    )
    row = session.get(Derivation, (rig.id, "split"))
    if split is None:
        if row is not None:
            session.delete(row)
        return None
    moved, predicted = moved_since(ws, session, rig, rest)
    now_split = split.at_gain(moved)
    keep_answer(ws, session, rig, takes, "split", plain(now_split) | {"predicted": predicted}, moved=predicted is not None)
    return now_split


def _causes(ws: Workshop, session: Session, rig: Rig, takes: Takes, split: FloorSplit | None, plan: GainPlan | None) -> None:
    talk = None if takes.talk is None else talk_reading(ws, takes.talk, takes.quiet, rig)
    if takes.quiet is not None:
        rest = quiet_reading(ws, takes.quiet)
        used = takes.of("in-use")
        over = None if talk is None else talk.snr_db
        found = find_causes(
            rest,
            in_use=None if used is None else quiet_reading(ws, used),
            split=split,
            voice_over_room_db=over,
            channels=_channels(takes.quiet),
        )
        body = {"causes": plain(found), "enough": is_quiet_enough(rest, over), "steady": rest.spread_db < STEADY_SPREAD_DB}
        # More gain lifts every cause alike, so their order stands.
        moved = moved_since(ws, session, rig, takes.quiet)[1] is not None
        keep_answer(ws, session, rig, takes, "causes", body, moved=moved)
        profile = noise_profile(samples_of(ws, takes.quiet), rate_hz=takes.quiet.rate_hz)
        if profile is not None:
            session.merge(
                Derivation(rig_id=rig.id, step="noise-profile", body=plain(profile), used=used_by(ws, session, rig, takes, "profile"))
            )
    if talk is not None:
        loud = takes.of("loud")
        voice = find_voice_causes(
            talk, loud=None if loud is None else talk_reading(ws, loud, takes.quiet, rig), plan=plan, distance_cm=rig.distance_cm
        )
        session.merge(Derivation(rig_id=rig.id, step="voice-causes", body={"causes": plain(voice)}, used={}))


def _channels(take: Take) -> Channels | None:
    body = take.channels
    return (
        None if body is None else Channels(body["verdict"], tuple(-200.0 if v is None else v for v in body["levels_dbfs"]), body["loudest"])
    )


def taper_of(row: TaperRow) -> Taper:
    """A learned taper from its row."""
    return Taper(*(tuple(row.body[name]) for name in ("positions", "gains_db", "errors_db")))


def _learn(ws: Workshop, session: Session, rig: Rig, newest: Take) -> None:
    """Learn the control that the newest dial take was for, from all its takes with this interface."""
    control = str(newest.facts["learns"])
    position = "slider" if control == "slider" else "dial"
    rows = session.scalars(
        select(Take).where(Take.rig_id == rig.id, Take.purpose == "dial", Take.fault.is_(None), Take.discarded.is_(False)).order_by(Take.id)
    )
    takes = []
    for row in rows:
        if row.facts.get("learns") != control or row.facts.get("interface") != rig.interface.name:
            continue
        power, _ = frames_of(samples_of(ws, row), rate_hz=row.rate_hz)
        level, error = steady_level(power)
        takes.append(DialTake(float(row.facts[position]), level, error))
    if len({take.position for take in takes}) < 2:
        return
    try:
        taper = learn(takes)
    except ValueError as error:
        newest.fault = str(error)
        session.flush()
        return
    session.merge(TaperRow(interface_id=rig.interface_id, control=control, body=plain(taper)))
    session.flush()


def stages_of(ws: Workshop, session: Session, rig: Rig) -> tuple[GainStage, ...]:
    """Every place where gain can be turned, in signal order, as it stands."""
    interface = rig.interface
    device = rig_device(ws, session, rig)
    dial_row, slider_row = taper_row(session, rig, "preamp"), taper_row(session, rig, "slider")
    stages: list[GainStage] = []
    if interface.pad_db is not None:
        stages.append(GainStage("pad", "Pad", "switch", True, float(rig.pad_on), 0.0, 1.0, 1.0, pad_db=interface.pad_db))
    if interface.knob == "dial":
        stages.append(
            GainStage(
                "preamp", "Preamp", "dial", True, rig.dial, interface.dial_low, interface.dial_high, interface.dial_step,
                taper=None if dial_row is None else taper_of(dial_row),
            )
        )  # fmt: skip
    else:
        low, high, step = interface.gain_low_db, interface.gain_high_db, interface.gain_step_db
        if rig.source == "simulated":
            knob = simulated_source(ws, session, rig).knob
            low, high, step = knob.low_db, knob.high_db, knob.step_db
        stages.append(GainStage("preamp", "Preamp", "dB", True, rig.gain_db, low, high, step))
    stages.append(GainStage("trim", "Device output", "dB", False, rig.trim_db, -60.0, 24.0, 0.5, neutral=0.0))
    stages.append(
        GainStage(
            "slider", "Input slider", "%", False, None if device is None else device.slider_percent, 0.0, 100.0, 1.0, neutral=100.0,
            taper=None if slider_row is None else taper_of(slider_row),
        )
    )  # fmt: skip
    stages.append(GainStage("program", "Program trim", "dB", False, rig.program_db, -60.0, 24.0, 0.5, neutral=0.0))
    return tuple(stages)


def _voice(ws: Workshop, session: Session, rig: Rig, take: Take | None, quiet: Take | None) -> TalkReading | None:
    if take is None:
        return None
    return talk_at_gain(talk_reading(ws, take, quiet, rig), moved_since(ws, session, rig, take)[0])


def _plan(ws: Workshop, session: Session, rig: Rig, takes: Takes, split: FloorSplit | None) -> GainPlan | None:
    """The plan for the newest takes, kept with what it stands on."""
    talk = _voice(ws, session, rig, takes.talk, takes.quiet)
    if talk is None or takes.talk is None:
        return None
    moved, predicted = moved_since(ws, session, rig, takes.talk)
    loud, soft = (_voice(ws, session, rig, takes.of(purpose), takes.quiet) for purpose in ("loud", "soft"))
    quiet = None
    if takes.quiet is not None:
        quiet = quiet_at_gain(quiet_reading(ws, takes.quiet), room_shift_db(takes.quiet, takes.talk, rig) + moved)
    plan = plan_gain(
        talk, stages=stages_of(ws, session, rig), loud=loud, soft=soft, quiet=quiet, split=split,
        aim_dbfs=(rig.aim_low_dbfs, rig.aim_high_dbfs),
        max_spl_db=rig.microphone.max_spl_db, loudest_peak_db_spl=_loudest_spl(rig, takes, loud),
        too_far_cm=rig.distance_cm if rig.distance_cm > _FAR_CM else None,
    )  # fmt: skip
    body = plain(plan) | {"predicted": predicted, "quiet_predicted": _quiet_predicted(takes, rig), "stale": None}
    keep_answer(ws, session, rig, takes, "gain-plan", body, moved=predicted is not None)
    return plan


def _quiet_predicted(takes: Takes, rig: Rig) -> str | None:
    if takes.quiet is None or takes.talk is None:
        return None
    change = room_shift_db(takes.quiet, takes.talk, rig)
    if not change or takes.quiet.gain_db is None:
        return None
    return (
        f"The room was taken at {takes.quiet.gain_db:g} dB gain; its level is moved by {change:+g} dB here, "
        "a prediction until you take it again."
    )


def _loudest_spl(rig: Rig, takes: Takes, loud: TalkReading | None) -> float | None:
    take = takes.of("loud")
    if loud is None or take is None or not has_absolute_gain(rig) or take.gain_db is None:
        return None
    # A sample peak is 3 dB over the AES17 level of a sine that reaches it.
    return spl_of_dbfs(loud.peak_dbfs, microphone_of(rig), interface_of(rig), take.gain_db, pad_on=bool(take.facts.get("pad_on")))
