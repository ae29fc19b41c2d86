"""Gain staging over every control where gain can be turned: from where to where, and what comes of
it.

Normal peaks belong into the aim, by default −15 to −10 dBFS: the working practice of 24-bit
recording keeps 10 dB for laughter, and the converter's own noise stays far under the room. The
loudest stay under −3 dBFS. Gain before the converter is used before gain after it, because what
comes after lifts the converter's noise with the voice; controls after the converter rest where they
change nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.clip_point import gain_after_converter, where_clipped
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.derive.gain_moves import Move, in_steps, move_pad, moves_for, within_reach
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.wording import _, within

PEAK_AIM_DBFS = (-15.0, -10.0)
LOUDEST_DBFS = -3.0
# Peak over active level of unclipped speech, used only where clipping hides the true peak. AES17
# active level.
_USUAL_CREST_DB = 14.0
_SAME_PEAK_DB = 0.05
# Nobody turns a knob for less.
_FINE_DB = 1.0


@dataclass(frozen=True)
class GainPlan:
    """What to turn, and what follows from it. Levels in dBFS; None where unknown.

    ``sure_db``: the middle half of what five-second stretches of this take would each have asked,
    halved; None when clipped. ``certain``: False when clipping hides the peak or a control's dB are
    not known, so that the plan is a careful first move.
    """

    moves: tuple[Move, ...]
    change_db: float
    verdict: Literal["stay", "up", "down"]
    sentence: str
    because: str
    limit: str | None
    clipped_where: str | None
    sure_db: float | None
    certain: bool
    aim_dbfs: tuple[float, float]
    expected_peak_dbfs: float
    expected_talk_dbfs: float
    expected_loudest_dbfs: float | None
    expected_softest_dbfs: float | None
    expected_floor_dbfs: float | None
    expected_headroom_db: float
    expected_snr_db: float | None
    floor_assumed: bool


def plan_gain(
    talk: TalkReading,
    *,
    controls: Sequence[GainControl] = (),
    loud: TalkReading | None = None,
    soft: TalkReading | None = None,
    quiet: QuietReading | None = None,
    split: FloorSplit | None = None,
    aim_dbfs: tuple[float, float] = PEAK_AIM_DBFS,
    loudest_peak_db_spl: float | None = None,
    max_spl_db: float | None = None,
    too_far_cm: float | None = None,
) -> GainPlan:
    """The plan from a normal talk reading and what else is known.

    ``quiet`` must stand at the gain of the talk take. ``loudest_peak_db_spl`` is what the loudest
    peak makes at the capsule, against ``max_spl_db``; ``too_far_cm`` is the distance when it is
    what keeps the aim from being met.
    """
    controls = controls or (GainControl("preamp", _("Preamp"), "dB", True, None),)
    preamp = next(control for control in controls if control.key == "preamp")
    after = [control for control in controls if not control.analogue]
    clipped = talk.flat_tops.count >= 3
    digital_db, unknown = gain_after_converter(after, talk if clipped else None)
    low = aim_dbfs[0]
    peak = talk.peak_dbfs - digital_db
    loudest = None if loud is None else loud.peak_dbfs - digital_db
    change = _wanted_change(talk, peak, digital_db, aim_dbfs, clipped)
    limits: list[str] = []
    if loudest is not None and loudest + change > LOUDEST_DBFS + _FINE_DB / 2.0:
        change = LOUDEST_DBFS - loudest
        if preamp.unit == "dB":
            step = preamp.step or 1.0
            change = math.floor(change / step) * step
        if peak + change < low:
            limits.append(
                _(
                    "Your loudest peaks are {loudest:.0f} dB over your normal talk, so normal"
                    " peaks have to stay {low:.0f} dB under the target.",
                    loudest=loudest - peak,
                    low=low - peak - change,
                )
            )
    elif preamp.unit == "dB":
        change = in_steps(change, preamp.step or 1.0)
    change, pad = move_pad(controls, preamp, change, clipped)
    change, limit = within_reach(preamp, change)
    if limit:
        limits.append(limit)
    if (
        loudest_peak_db_spl is not None
        and max_spl_db is not None
        and loudest_peak_db_spl > max_spl_db
    ):
        limits.append(
            _(
                "Your loudest is {loudest_peak_db_spl:.0f} dB SPL at the capsule, and the"
                " microphone takes {max_spl_db:g}: it overloads before any knob. Move back.",
                loudest_peak_db_spl=loudest_peak_db_spl,
                max_spl_db=max_spl_db,
            )
        )
    if too_far_cm is not None and limits and change > 0:
        limits.append(
            _(
                "At {too_far_cm:g} cm the voice is weak: half the distance gives 6 dB more"
                " voice without any knob.",
                too_far_cm=too_far_cm,
            )
        )
    pad_change = 0.0 if pad is None or pad.change_db is None else pad.change_db
    moves = moves_for(controls, preamp, change, pad, aim_dbfs=(aim_dbfs[0] + aim_dbfs[1]) / 2.0)
    total = change + pad_change
    floor, assumed = _floor_after(quiet, split, total, digital_db)
    talk_level = talk.active_level_dbfs - digital_db + total
    stays = all(move.stays for move in moves) and not clipped
    verdict: Literal["stay", "up", "down"] = "stay" if stays else "up" if total > 0 else "down"
    expected_loudest = None if loudest is None else loudest + total
    return GainPlan(
        moves=moves,
        change_db=change,
        verdict=verdict,
        sentence=_sentence(moves, stays),
        because=_because(talk, quiet, clipped, peak, aim_dbfs, loudest),
        limit=" ".join(limits) or None,
        clipped_where=where_clipped(talk, after) if clipped else None,
        sure_db=None if clipped else _spread(talk),
        certain=not clipped and not unknown,
        aim_dbfs=aim_dbfs,
        expected_peak_dbfs=peak + total,
        expected_talk_dbfs=talk_level,
        expected_loudest_dbfs=expected_loudest,
        expected_softest_dbfs=None if soft is None else soft.active_level_dbfs - digital_db + total,
        expected_floor_dbfs=floor,
        expected_headroom_db=-max(
            peak + total, -200.0 if expected_loudest is None else expected_loudest
        ),
        expected_snr_db=None if floor is None else talk_level - floor,
        floor_assumed=assumed,
    )


def _wanted_change(
    talk: TalkReading, peak: float, digital_db: float, aim: tuple[float, float], clipped: bool
) -> float:
    """Change before the converter that brings the peak into the aim, dB."""
    low, high = aim
    middle = (low + high) / 2.0
    if clipped:
        hidden = max(talk.active_level_dbfs - digital_db + _USUAL_CREST_DB, peak + 3.0)
        return min(middle - hidden, -6.0)
    fine = low - _FINE_DB <= peak <= high + _FINE_DB
    return 0.0 if fine else middle - peak


def _sentence(moves: Sequence[Move], stays: bool) -> str:
    if stays:
        return _("Leave the preamp where it is")
    parts = []
    for move in sorted(moves, key=lambda m: m.key == "preamp"):
        if move.stays and not (move.key == "preamp" and move.change_db):
            continue
        if move.key == "preamp":
            parts.append(_preamp(move))
        elif move.key == "pad":
            parts.append(
                _("switch the {title} in", title=within(move.title))
                if move.target
                else _("switch the {title} out", title=within(move.title))
            )
        else:
            parts.append(move.clause)
    text = _(", then ").join(parts) or _("There is nothing left to turn")
    return text[0].upper() + text[1:]


def _preamp(move: Move) -> str:
    change = move.change_db or 0.0
    if move.clause:
        return move.clause
    values = {"title": within(move.title), "size": abs(change)}
    if move.start is None or move.target is None:
        return (
            _("turn the {title} up {size:.3g} dB", **values)
            if change > 0
            else _("turn the {title} down {size:.3g} dB", **values)
        )
    values |= {"at": move.start, "to": move.target}
    return (
        _("turn the {title} up {size:.3g} dB, from {at:g} to {to:g} dB", **values)
        if change > 0
        else _("turn the {title} down {size:.3g} dB, from {at:g} to {to:g} dB", **values)
    )


def _because(
    talk: TalkReading,
    quiet: QuietReading | None,
    clipped: bool,
    peak: float,
    aim: tuple[float, float],
    loudest: float | None,
) -> str:
    low, high = aim
    if clipped:
        at = talk.flat_tops.level_dbfs
        return _(
            "{count} peaks are clipped at {at:.1f} dBFS, so their true height is unknown. This"
            " is a careful first move: record again afterwards.",
            count=talk.flat_tops.count,
            at=at,
        )
    where = (
        _("inside")
        if low <= peak <= high
        else _("within 1 dB of")
        if low - _FINE_DB <= peak <= high + _FINE_DB
        else _("{peak:.1f} dB over", peak=peak - high)
        if peak > high
        else _("{low:.1f} dB under", low=low - peak)
    )
    place = _("at the converter ") if abs(peak - talk.peak_dbfs) > _SAME_PEAK_DB else ""
    text = _(
        "Normal talk peaks {place}at {peak:.1f} dBFS, {where} the target of {low:.0f} to"
        " {high:.0f}.",
        place=place,
        peak=peak,
        where=where,
        low=low,
        high=high,
    )
    if loudest is not None and loudest > LOUDEST_DBFS + _FINE_DB / 2.0:
        text += _(
            " Your loudest peaks are at {loudest:.1f} dBFS, over the {loudest_dbfs:.0f} that"
            " laughter may reach.",
            loudest=loudest,
            loudest_dbfs=LOUDEST_DBFS,
        )
    if quiet is not None and talk.snr_db is not None:
        text += _(
            " Voice and room move together, so the signal-to-noise ratio stays {snr_db:.0f} dB.",
            snr_db=talk.snr_db,
        )
    return text


def _spread(talk: TalkReading) -> float | None:
    seconds = np.array(talk.peaks_by_second_dbfs)
    stretches = [float(seconds[i : i + 5].max()) for i in range(0, len(seconds) - 4, 5)]
    if len(stretches) < 3:
        return None
    low, high = np.percentile(stretches, [25, 75])
    return float(high - low) / 2.0


def _floor_after(
    quiet: QuietReading | None, split: FloorSplit | None, change: float, digital_db: float
) -> tuple[float | None, bool]:
    """The floor after the plan, dBFS, and whether it was assumed that all of it moves with the
    preamp."""
    if quiet is None:
        return None, True
    now = quiet.rms_dbfs - digital_db
    if split is None:
        return now + change, True
    converter = split.part("converter")
    if converter is None:
        return now + change, True
    # The split stands at its own take's gain; only its proportions are used.
    whole = power_db(
        sum(power_from_db(part.level_dbfs) for part in split.parts if np.isfinite(part.level_dbfs))
    )
    fixed = (
        power_from_db(converter.level_dbfs - whole) if np.isfinite(converter.level_dbfs) else 0.0
    )
    return now + power_db((1.0 - fixed) * power_from_db(change) + fixed), False
