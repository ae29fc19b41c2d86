"""What is wrong with the voice on its way in: where it is cut, rounded off, or too faint, and
what to turn.

Source: practice: clipping first, then level, then noise.
"""

from __future__ import annotations

import math

from obsidian_wren.core.derive.cause import Cause, Where
from obsidian_wren.core.derive.causes import ENOUGH_VOICE_OVER_ROOM_DB
from obsidian_wren.core.derive.clip_point import where_clipped
from obsidian_wren.core.derive.gain_plan import GainPlan
from obsidian_wren.core.measure.clipping import CUBIC_SLOPE
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.wording import _

_FAR_CM = 40.0
_FULL_SCALE_DBFS = -0.3


def find_voice_causes(
    talk: TalkReading,
    *,
    loud: TalkReading | None = None,
    plan: GainPlan | None = None,
    distance_cm: float | None = None,
) -> tuple[Cause, ...]:
    """Causes in the order of mending, from normal talk and, where it was taken, the loudest."""
    found: list[Cause] = []
    for take, name in ((talk, _("normal talk")), (loud, _("your loudest"))):
        if take is None:
            continue
        if take.flat_tops.count >= 3:
            where = (
                (plan.clipped_where if plan is not None and take is talk else None)
                or where_clipped(take)
                or ""
            )
            evidence = _(
                "{count} peaks of {name} are clipped. {where}",
                count=take.flat_tops.count,
                name=name,
                where=where,
            )
            stage: Where = (
                "converter" if (take.flat_tops.level_dbfs or 0.0) >= _FULL_SCALE_DBFS else "preamp"
            )
            found.append(
                _cause(
                    "flat-tops",
                    stage,
                    _("Peaks are clipped"),
                    evidence,
                    _("Reduce the gain before that point, then record again."),
                    True,
                )
            )
            break
        if take.soft_clipping is not None:
            soft = take.soft_clipping
            cause_words = (
                _(
                    "its third harmonic grows by {third_harmonic_slope:.1f} dB for each dB",
                    third_harmonic_slope=soft.third_harmonic_slope,
                )
                if soft.third_harmonic_slope is not None and soft.third_harmonic_slope > CUBIC_SLOPE
                else (
                    _(
                        "waves over {from_dbfs:.0f} dBFS are {crest_loss_db:.1f} dB flatter"
                        " than those 10 dB lower",
                        from_dbfs=soft.from_dbfs,
                        crest_loss_db=soft.crest_loss_db,
                    )
                )
            )
            found.append(
                _cause(
                    "soft-clipping",
                    "preamp",
                    _("A stage saturates when you are loud"),
                    _("In {name}, {told}: rounded off, not clipped.", name=name, told=cause_words),
                    _(
                        "Turn the preamp down or move back. If it stays the same, the microphone"
                        " itself overloads."
                    ),
                    True,
                )
            )
            break
    over = talk.snr_db
    if over is not None and over < ENOUGH_VOICE_OVER_ROOM_DB and not found:
        if distance_cm is not None and distance_cm > _FAR_CM:
            gain = 20.0 * math.log10(distance_cm / 20.0)
            found.append(
                _cause(
                    "too-far",
                    "microphone",
                    _("{distance_cm:g} cm is far", distance_cm=distance_cm),
                    _(
                        "The signal-to-noise ratio is {over:.0f} dB; the target is 30 dB.",
                        over=over,
                    ),
                    _(
                        "Come to 20 cm: {gain:+.0f} dB voice over room, more than any knob gives.",
                        gain=gain,
                    ),
                    False,
                )
            )
        else:
            found.append(
                _cause(
                    "little-voice",
                    "room",
                    _("The signal-to-noise ratio is low"),
                    _("{over:.0f} dB; the target is 30.", over=over),
                    _(
                        "Fix what makes the noise floor first: Quiet ranks it. Going closer"
                        " helps at once."
                    ),
                    False,
                )
            )
    return tuple(found)


def _cause(code: str, where: Where, title: str, evidence: str, remedy: str, spoils: bool) -> Cause:
    return Cause(code, where, "talk", title, evidence, remedy, None, spoils, True)
