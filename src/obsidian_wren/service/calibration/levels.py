"""The parts of the floor, its causes, the noise profile and the gain plan."""

from __future__ import annotations

from obsidian_wren.core.derive.capsule import dbfs_of_spl, spl_of_dbfs
from obsidian_wren.core.derive.cause import STEADY_SPREAD_DB
from obsidian_wren.core.derive.causes import find_causes, is_quiet_enough
from obsidian_wren.core.derive.floor_split import FloorSplit, FloorTake, split_floor
from obsidian_wren.core.derive.gain_plan import GainPlan, plan_gain
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.derive.voice_causes import find_voice_causes
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.noise_profile import NoiseProfile, noise_profile
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration.talk_findings import found_in_talk
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings.answers import keep_answer, moved_since
from obsidian_wren.service.readings.measuring import (
    quiet_reading,
    room_shift_db,
    samples_of,
    talk_reading,
)
from obsidian_wren.service.readings.staleness import used_by
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.gain_controls import gain_controls
from obsidian_wren.service.rig.hardware_rows import has_absolute_gain, interface_of, microphone_of
from obsidian_wren.store.models import Derivation, Take

_FAR_CM = 40.0


def derive_levels(ctx: RigContext) -> None:
    """The parts of the floor, its causes, the noise profile and the gain plan."""
    split = _split(ctx)
    plan = _plan(ctx, split)
    _causes(ctx, split, plan)


def _split(ctx: RigContext) -> FloorSplit | None:
    rest, muted, other = ctx.takes.quiet, ctx.takes.of("muted"), ctx.takes.of("other-gain")
    if rest is None or rest.gain_db is None:
        return None

    def floor(take: Take | None) -> FloorTake | None:
        gain = take.gain_db if take is not None else None
        return (
            None
            if take is None or gain is None
            else FloorTake(quiet_reading(ctx.app, take).third_octaves, gain)
        )

    own = None
    if ctx.rig.microphone.self_noise_dba is not None and has_absolute_gain(ctx.rig):
        own = dbfs_of_spl(
            ctx.rig.microphone.self_noise_dba,
            microphone_of(ctx.rig),
            interface_of(ctx.rig),
            rest.gain_db,
            pad_on=bool(rest.facts.get("pad_on")),
        )
    split = split_floor(
        FloorTake(quiet_reading(ctx.app, rest).third_octaves, rest.gain_db),
        muted=floor(muted),
        other=floor(other),
        microphone_dbfs_a=own,
    )
    row = ctx.session.get(Derivation, (ctx.rig.id, "split"))
    if split is None:
        if row is not None:
            ctx.session.delete(row)
        return None
    moved, predicted = moved_since(ctx, rest)
    now_split = split.at_gain(moved)
    keep_answer(
        ctx,
        "split",
        to_jsonable(now_split) | {"predicted": predicted},
        moved=predicted is not None,
    )
    return now_split


def _profile(app: AppContext, quiet: Take) -> NoiseProfile | None:
    found: NoiseProfile | None = app.readings.get(
        ("noise profile", quiet.sha256),
        lambda: noise_profile(samples_of(app, quiet), rate_hz=quiet.rate_hz),
    )
    return found


def _causes(
    ctx: RigContext,
    split: FloorSplit | None,
    plan: GainPlan | None,
) -> None:
    talk = (
        None
        if ctx.takes.talk is None
        else talk_reading(ctx.app, ctx.takes.talk, ctx.takes.quiet, ctx.rig)
    )
    if ctx.takes.quiet is not None:
        rest = quiet_reading(ctx.app, ctx.takes.quiet)
        used = ctx.takes.of("in-use")
        over = None if talk is None else talk.snr_db
        found = find_causes(
            rest,
            in_use=None if used is None else quiet_reading(ctx.app, used),
            split=split,
            voice_over_room_db=over,
            channels=_channels(ctx.takes.quiet),
        )
        body = {
            "causes": to_jsonable(found),
            "enough": is_quiet_enough(rest, over),
            "steady": rest.spread_db < STEADY_SPREAD_DB,
        }
        # More gain lifts every cause alike, so their order stands.
        moved = moved_since(ctx, ctx.takes.quiet)[1] is not None
        keep_answer(ctx, "causes", body, moved=moved)
        profile = _profile(ctx.app, ctx.takes.quiet)
        if profile is not None:
            ctx.session.merge(
                Derivation(
                    rig_id=ctx.rig.id,
                    step="noise-profile",
                    body=to_jsonable(profile),
                    used=used_by(ctx, "profile"),
                )
            )
    if talk is not None:
        loud = ctx.takes.of("loud")
        voice = find_voice_causes(
            talk,
            loud=None if loud is None else talk_reading(ctx.app, loud, ctx.takes.quiet, ctx.rig),
            plan=plan,
            distance_cm=ctx.rig.distance_cm,
        ) + found_in_talk(ctx)
        ctx.session.merge(
            Derivation(
                rig_id=ctx.rig.id, step="voice-causes", body={"causes": to_jsonable(voice)}, used={}
            )
        )


def _channels(take: Take) -> Channels | None:
    body = take.channels
    return (
        None
        if body is None
        else Channels(
            body["verdict"],
            tuple(-200.0 if v is None else v for v in body["levels_dbfs"]),
            body["loudest"],
        )
    )


def _voice(ctx: RigContext, take: Take | None, quiet: Take | None) -> TalkReading | None:
    if take is None:
        return None
    return talk_at_gain(talk_reading(ctx.app, take, quiet, ctx.rig), moved_since(ctx, take)[0])


def _plan(ctx: RigContext, split: FloorSplit | None) -> GainPlan | None:
    """The plan for the newest takes, kept with what it stands on."""
    talk = _voice(ctx, ctx.takes.talk, ctx.takes.quiet)
    if talk is None or ctx.takes.talk is None:
        return None
    moved, predicted = moved_since(ctx, ctx.takes.talk)
    loud, soft = (
        _voice(ctx, ctx.takes.of(purpose), ctx.takes.quiet) for purpose in ("loud", "soft")
    )
    quiet = None
    if ctx.takes.quiet is not None:
        quiet = quiet_at_gain(
            quiet_reading(ctx.app, ctx.takes.quiet),
            room_shift_db(ctx.takes.quiet, ctx.takes.talk, ctx.rig) + moved,
        )
    plan = plan_gain(
        talk,
        controls=gain_controls(ctx),
        loud=loud,
        soft=soft,
        quiet=quiet,
        split=split,
        aim_dbfs=(ctx.rig.aim_low_dbfs, ctx.rig.aim_high_dbfs),
        max_spl_db=ctx.rig.microphone.max_spl_db,
        loudest_peak_db_spl=_loudest_spl(ctx, loud),
        too_far_cm=ctx.rig.distance_cm if ctx.rig.distance_cm > _FAR_CM else None,
    )
    body = to_jsonable(plan) | {
        "predicted": predicted,
        "quiet_predicted": _quiet_predicted(ctx),
        "stale": None,
    }
    keep_answer(ctx, "gain-plan", body, moved=predicted is not None)
    return plan


def _quiet_predicted(ctx: RigContext) -> str | None:
    if ctx.takes.quiet is None or ctx.takes.talk is None:
        return None
    change = room_shift_db(ctx.takes.quiet, ctx.takes.talk, ctx.rig)
    if not change or ctx.takes.quiet.gain_db is None:
        return None
    return _(
        "The room was recorded at {gain_db:g} dB gain; its level is moved by {change:+g} dB"
        " here, a prediction until you record it again.",
        gain_db=ctx.takes.quiet.gain_db,
        change=change,
    )


def _loudest_spl(ctx: RigContext, loud: TalkReading | None) -> float | None:
    take = ctx.takes.of("loud")
    if loud is None or take is None or not has_absolute_gain(ctx.rig) or take.gain_db is None:
        return None
    # A sample peak is 3 dB over the AES17 level of a sine that reaches it.
    return spl_of_dbfs(
        loud.peak_dbfs,
        microphone_of(ctx.rig),
        interface_of(ctx.rig),
        take.gain_db,
        pad_on=bool(take.facts.get("pad_on")),
    )
