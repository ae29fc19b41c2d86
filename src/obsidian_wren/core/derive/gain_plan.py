"""Gain staging over every stage where gain can be turned: from where to where, and what comes of it.

Normal peaks belong into the aim, by default −15 to −10 dBFS: the working practice of 24-bit recording keeps 10 dB for laughter, and
the converter's own noise stays far under the room. The loudest stay under −3 dBFS. Gain before the converter is used before gain
after it, because what comes after lifts the converter's noise with the voice; controls after the converter rest where they change
nothing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.dial import Taper, spoken
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.measure.readings import QuietReading, TalkReading

PEAK_AIM_DBFS = (-15.0, -10.0)
LOUDEST_DBFS = -3.0
# Peak over active level of unclipped speech, used only where clipping hides the true peak. AES17 active level.
_USUAL_CREST_DB = 14.0
_CONVERTER_DBFS = -0.3

StageKey = Literal["preamp", "pad", "trim", "slider", "program"]
Unit = Literal["dB", "dial", "%", "switch"]


@dataclass(frozen=True)
class GainStage:
    """One place where gain can be turned, in signal order.

    ``position`` in the stage's own unit, None where unknown; ``neutral`` the position at which a stage after the converter changes
    nothing; ``taper`` what its positions are in dB, where that was learned. A pad's position is 0 or 1 and ``pad_db`` its loss.
    """

    key: StageKey
    title: str
    unit: Unit
    analogue: bool
    position: float | None
    low: float | None = None
    high: float | None = None
    step: float | None = None
    neutral: float | None = None
    taper: Taper | None = None
    pad_db: float | None = None

    def over_neutral_db(self) -> float | None:
        """Gain against the neutral position, dB; None where nobody knows."""
        if self.position is None or self.neutral is None:
            return None
        if self.position == self.neutral:
            return 0.0
        if self.unit == "dB":
            return self.position - self.neutral
        return None if self.taper is None else self.taper.gain_db(self.position) - self.taper.gain_db(self.neutral)


@dataclass(frozen=True)
class Move:
    """What to do with one stage: position from and to in its own unit, the change in dB (None: not known), and because."""

    key: StageKey
    title: str
    unit: Unit
    start: float | None
    target: float | None
    change_db: float | None
    spoken: str
    because: str

    @property
    def stays(self) -> bool:
        """Whether nothing is to be turned."""
        if self.start is None or self.target is None:
            return not self.change_db
        return self.start == self.target


@dataclass(frozen=True)
class GainPlan:
    """What to turn, and what follows from it. Levels in dBFS; None where unknown.

    ``sure_db``: the middle half of what five-second stretches of this take would each have asked, halved; None when clipped.
    ``certain``: False when clipping hides the peak or a control's dB are not known, so that the plan is a careful first move.
    """

    moves: tuple[Move, ...]
    change_db: float
    verdict: Literal["settled", "up", "down"]
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
    talk: TalkReading, *, stages: Sequence[GainStage] = (), loud: TalkReading | None = None, soft: TalkReading | None = None,
    quiet: QuietReading | None = None, split: FloorSplit | None = None, aim_dbfs: tuple[float, float] = PEAK_AIM_DBFS,
    loudest_peak_db_spl: float | None = None, max_spl_db: float | None = None, too_far_cm: float | None = None,
) -> GainPlan:  # fmt: skip
    """The plan from a normal talk reading and what else is known.

    ``quiet`` must stand at the gain of the talk take. ``loudest_peak_db_spl`` is what the loudest peak makes at the capsule, against
    ``max_spl_db``; ``too_far_cm`` is the distance when it is what keeps the aim from being met.
    """
    stages = stages or (GainStage("preamp", "Preamp", "dB", True, None),)
    preamp = next(stage for stage in stages if stage.key == "preamp")
    after = [stage for stage in stages if not stage.analogue]
    clipped = talk.flat_tops.count >= 3
    digital_db, unknown = _digital(after, talk if clipped else None)
    low = aim_dbfs[0]
    peak = talk.peak_dbfs - digital_db
    loudest = None if loud is None else loud.peak_dbfs - digital_db
    change, hidden = _wanted_change(talk, peak, digital_db, aim_dbfs, clipped)
    limits: list[str] = []
    if loudest is not None and loudest + change > LOUDEST_DBFS:
        change = LOUDEST_DBFS - loudest
        if preamp.unit == "dB":
            step = preamp.step or 1.0
            change = math.floor(change / step) * step
        if peak + change < low:
            limits.append(
                f"Your loudest peaks {loudest - peak:.0f} dB over your normal talk, so normal peaks have to stay {low - peak - change:.0f} dB "
                "under the aim."
            )
    elif preamp.unit == "dB":
        change = _in_steps(change, preamp.step or 1.0)
    change, pad_move = _pad(stages, preamp, change, clipped)
    change, limit = _within(preamp, change)
    if limit:
        limits.append(limit)
    if loudest_peak_db_spl is not None and max_spl_db is not None and loudest_peak_db_spl > max_spl_db:
        limits.append(
            f"Your loudest is {loudest_peak_db_spl:.0f} dB SPL at the capsule and the microphone takes {max_spl_db:g}: it overloads before any knob. Move back."
        )
    if too_far_cm is not None and limits and change > 0:
        limits.append(f"At {too_far_cm:g} cm the voice is weak: half the distance is 6 dB more voice without any knob.")
    pad_change = 0.0 if pad_move is None or pad_move.change_db is None else pad_move.change_db
    moves = _moves(stages, preamp, change, pad_move, clipped, hidden)
    total = change + pad_change
    floor, assumed = _floor_after(quiet, split, total, digital_db)
    talk_level = talk.active_level_dbfs - digital_db + total
    settled = all(move.stays for move in moves) and not clipped
    verdict: Literal["settled", "up", "down"] = "settled" if settled else "up" if total > 0 else "down"
    expected_loudest = None if loudest is None else loudest + total
    return GainPlan(
        moves=moves, change_db=change, verdict=verdict, sentence=_sentence(moves, settled), because=_because(talk, quiet, clipped, peak, aim_dbfs, loudest),
        limit=" ".join(limits) or None, clipped_where=where_clipped(talk, after) if clipped else None,
        sure_db=None if clipped else _spread(talk), certain=not clipped and not unknown, aim_dbfs=aim_dbfs, expected_peak_dbfs=peak + total,
        expected_talk_dbfs=talk_level, expected_loudest_dbfs=expected_loudest,
        expected_softest_dbfs=None if soft is None else soft.active_level_dbfs - digital_db + total, expected_floor_dbfs=floor,
        expected_headroom_db=-max(peak + total, -200.0 if expected_loudest is None else expected_loudest),
        expected_snr_db=None if floor is None else talk_level - floor, floor_assumed=assumed,
    )  # fmt: skip


def _wanted_change(talk: TalkReading, peak: float, digital_db: float, aim: tuple[float, float], clipped: bool) -> tuple[float, float]:
    """Change before the converter that brings the peak into the aim, and the peak that it reckons with."""
    low, high = aim
    middle = (low + high) / 2.0
    if clipped:
        hidden = max(talk.active_level_dbfs - digital_db + _USUAL_CREST_DB, peak + 3.0)
        return min(middle - hidden, -6.0), hidden
    return (0.0 if low <= peak <= high else middle - peak), peak


def _digital(after: Sequence[GainStage], clipped: TalkReading | None) -> tuple[float, bool]:
    """Gain after the converter, dB, and whether part of it is not known. Flat tops under full scale tell it when nothing else does."""
    known = [stage.over_neutral_db() for stage in after if stage.neutral is not None]
    if any(value is None for value in known):
        level = clipped.flat_tops.level_dbfs if clipped is not None else None
        if level is not None and level < _CONVERTER_DBFS:
            return level, False
        return sum(value for value in known if value is not None), True
    return sum(value for value in known if value is not None), False


def where_clipped(talk: TalkReading, after: Sequence[GainStage] = ()) -> str | None:
    """Which stage made the flat tops, as far as their level tells; None without any."""
    level = talk.flat_tops.level_dbfs
    if level is None:
        return None
    if level >= _CONVERTER_DBFS:
        return "They sit at full scale: the converter ran out, so gain before it has to come down."
    turned = [(stage, stage.over_neutral_db()) for stage in after if stage.neutral is not None]
    total = sum(db for _, db in turned if db is not None)
    down = [stage for stage, db in turned if db is None or db < -_NEAR_DB]
    if down and (any(db is None for _, db in turned) or abs(total - level) < _NEAR_DB):
        names = " and ".join(stage.title.lower() for stage in down)
        return (
            f"They sit at {level:.1f} dBFS, not at full scale: the converter clipped first and the {names} turned it down by {-level:.1f} dB "
            "afterwards. Turning that down mends nothing: turn the gain before the converter down."
        )
    return (
        f"They sit at {level:.1f} dBFS and nothing after the converter is turned down by that much: a stage before it gives out there, "
        "the preamp's output or the device's own limiter. Turn the preamp down."
    )


_NEAR_DB = 0.6


def _in_steps(change_db: float, step_db: float) -> float:
    return round(change_db / step_db) * step_db if step_db > 0 else change_db


def _pad(stages: Sequence[GainStage], preamp: GainStage, change: float, clipped: bool) -> tuple[float, Move | None]:
    """Whether a pad has to go in or come out, and the preamp's change that is left."""
    pad = next((stage for stage in stages if stage.key == "pad"), None)
    if pad is None or pad.pad_db is None or preamp.position is None or preamp.unit != "dB":
        return change, None
    wanted = preamp.position + change
    if pad.position == 0 and preamp.low is not None and wanted < preamp.low:
        because = f"The preamp ends at {preamp.low:g} dB and that is still too much."
        return change + pad.pad_db, Move("pad", pad.title, "switch", 0, 1, -pad.pad_db, "switch it in", because)
    if pad.position == 1 and preamp.high is not None and (wanted > preamp.high or change >= pad.pad_db):
        because = f"The pad takes {pad.pad_db:g} dB off and the preamp has to make them up again, with its noise."
        return change - pad.pad_db, Move("pad", pad.title, "switch", 1, 0, pad.pad_db, "switch it out", because)
    return change, None


def _within(preamp: GainStage, change: float) -> tuple[float, str]:
    """The change as far as the knob goes, and the sentence about where it ends."""
    if preamp.position is None or preamp.low is None or preamp.high is None:
        return change, ""
    if preamp.unit == "dial":
        if preamp.taper is None:
            return change, ""
        lowest = preamp.taper.gain_db(preamp.low) - preamp.taper.gain_db(preamp.position)
        highest = preamp.taper.gain_db(preamp.high) - preamp.taper.gain_db(preamp.position)
    else:
        lowest, highest = preamp.low - preamp.position, preamp.high - preamp.position
    reachable = min(max(change, lowest), highest)
    if abs(reachable - change) < 1e-9:
        return change, ""
    end = spoken(preamp.high if change > 0 else preamp.low, preamp.unit, preamp.step)
    rest = abs(change - reachable)
    if change > 0:
        return reachable, f"The knob ends at {end} and {rest:.0f} dB are still missing: go closer to the microphone for the rest."
    return reachable, f"The knob ends at {end} and {rest:.0f} dB are still too much: move back or switch a pad in for the rest."


def _moves(
    stages: Sequence[GainStage], preamp: GainStage, change: float, pad_move: Move | None, clipped: bool, hidden: float
) -> tuple[Move, ...]:
    moves = []
    for stage in stages:
        if stage.key == "preamp":
            moves.append(_preamp_move(stage, change, clipped))
        elif stage.key == "pad":
            on = "in" if stage.position else "out"
            moves.append(
                pad_move
                or Move("pad", stage.title, "switch", stage.position, stage.position, 0.0, f"leave it {on}", "Not needed otherwise.")
            )
        else:
            moves.append(_rest_move(stage))
    return tuple(moves)


def _preamp_move(stage: GainStage, change: float, clipped: bool) -> Move:
    because = "All gain that is needed is made here, before the converter."
    if change == 0.0:
        leave = "leave it" if stage.position is None else f"leave it at {spoken(stage.position, stage.unit, stage.step)}"
        return Move("preamp", stage.title, stage.unit, stage.position, stage.position, 0.0, leave, because)
    way = "up" if change > 0 else "down"
    if stage.unit == "dial" and stage.position is not None and stage.taper is not None:
        low = stage.low if stage.low is not None else min(stage.taper.positions)
        high = stage.high if stage.high is not None else max(stage.taper.positions)
        target = stage.taper.position_for(stage.position, change, low=low, high=high)
        guess = "" if stage.taper.covers(target) else " That mark lies outside what was learned."
        text = f"turn from {spoken(stage.position, 'dial', stage.step)} to about {spoken(target, 'dial', stage.step)}"
        return Move("preamp", stage.title, "dial", stage.position, round(target, 2), change, text, because + guess)
    if stage.position is None or stage.unit == "dial":
        learn = " Learn the dial, and this is said in its own numbers." if stage.unit == "dial" else ""
        return Move("preamp", stage.title, stage.unit, stage.position, None, change, f"turn {way} {abs(change):.3g} dB", because + learn)
    target = stage.position + change
    return Move("preamp", stage.title, "dB", stage.position, target, change, f"turn from {stage.position:g} to {target:g} dB", because)


def _rest_move(stage: GainStage) -> Move:
    db = stage.over_neutral_db()
    because = "After the converter: gain here lifts its noise with the voice, so it rests where it changes nothing."
    if stage.position is None or stage.neutral is None:
        return Move(stage.key, stage.title, stage.unit, stage.position, stage.position, None, "not known", because)
    if stage.position == stage.neutral:
        return Move(
            stage.key,
            stage.title,
            stage.unit,
            stage.position,
            stage.position,
            0.0,
            f"leave it at {spoken(stage.position, stage.unit)}",
            because,
        )
    text = f"set from {spoken(stage.position, stage.unit)} to {spoken(stage.neutral, stage.unit)}"
    unknown = " How many dB that is nobody knows yet: set it first, then take normal talk again." if db is None else ""
    return Move(stage.key, stage.title, stage.unit, stage.position, stage.neutral, None if db is None else -db, text, because + unknown)


def _sentence(moves: Sequence[Move], settled: bool) -> str:
    if settled:
        return "Leave the preamp where it is"
    parts = []
    for move in sorted(moves, key=lambda m: m.key == "preamp"):
        if move.stays and not (move.key == "preamp" and move.change_db):
            continue
        if move.key == "preamp":
            way = "up" if (move.change_db or 0.0) > 0 else "down"
            size = f"{abs(move.change_db or 0.0):.3g} dB"
            if move.unit == "dial" and move.target is not None:
                parts.append(f"turn the {move.title.lower()} {move.spoken.removeprefix('turn ')}")
            elif move.start is not None and move.target is not None:
                parts.append(f"turn the {move.title.lower()} {way} {size}, from {move.start:g} to {move.target:g} dB")
            else:
                parts.append(f"turn the {move.title.lower()} {way} {size}")
        elif move.key == "pad":
            parts.append(f"switch the {move.title.lower()} {'in' if move.target else 'out'}")
        else:
            parts.append(f"set the {move.title.lower()} {move.spoken.removeprefix('set ')}")
    text = ", then ".join(parts) or "Nothing more can be turned"
    return text[0].upper() + text[1:]


def _because(
    talk: TalkReading, quiet: QuietReading | None, clipped: bool, peak: float, aim: tuple[float, float], loudest: float | None
) -> str:
    low, high = aim
    if clipped:
        at = talk.flat_tops.level_dbfs
        return (
            f"{talk.flat_tops.count} peaks are cut flat at {at:.1f} dBFS, so how high they really go is hidden. "
            "This is a careful first move: take it again afterwards."
        )
    where = "inside" if low <= peak <= high else f"{peak - high:.1f} dB over" if peak > high else f"{low - peak:.1f} dB under"
    place = "at the converter " if abs(peak - talk.peak_dbfs) > 0.05 else ""
    text = f"Normal talk peaks {place}at {peak:.1f} dBFS, {where} the aim of {low:.0f} to {high:.0f}."
    if loudest is not None and loudest > LOUDEST_DBFS:
        text += f" Your loudest peaks at {loudest:.1f} dBFS, over the {LOUDEST_DBFS:.0f} that laughter may reach."
    if quiet is not None and talk.snr_db is not None:
        text += f" Voice and room move together, so the {talk.snr_db:.0f} dB between them stay."
    return text


def _spread(talk: TalkReading) -> float | None:
    seconds = np.array(talk.peaks_by_second_dbfs)
    stretches = [float(seconds[i : i + 5].max()) for i in range(0, len(seconds) - 4, 5)]
    if len(stretches) < 3:
        return None
    low, high = np.percentile(stretches, [25, 75])
    return float(high - low) / 2.0


def _floor_after(quiet: QuietReading | None, split: FloorSplit | None, change: float, digital_db: float) -> tuple[float | None, bool]:
    """The floor after the plan, dBFS, and whether it was assumed that all of it moves with the preamp."""
    if quiet is None:
        return None, True
    now = quiet.rms_dbfs - digital_db
    if split is None:
        return now + change, True
    converter = split.part("converter")
    if converter is None:
        return now + change, True
    # The split stands at its own take's gain; only its proportions are used.
    whole = power_db(sum(power_from_db(part.level_dbfs) for part in split.parts if np.isfinite(part.level_dbfs)))
    fixed = power_from_db(converter.level_dbfs - whole) if np.isfinite(converter.level_dbfs) else 0.0
    return now + power_db((1.0 - fixed) * power_from_db(change) + fixed), False
