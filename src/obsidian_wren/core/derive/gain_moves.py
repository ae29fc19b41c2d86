"""Which controls to turn, how far and why: the moves of a gain plan.

Source: Friis (1944): gain belongs as early as it clips nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from obsidian_wren.core.derive.gain_controls import ControlKey, GainControl, Unit
from obsidian_wren.core.derive.taper import spoken
from obsidian_wren.core.numerals import plain
from obsidian_wren.core.wording import _, within

_EXACT_DB = 1e-9


@dataclass(frozen=True)
class Move:
    """What to do with one control: position from and to in its own unit, the change in dB (None:
    not known), and because. ``clause`` names the control too, within a longer sentence."""

    key: ControlKey
    title: str
    unit: Unit
    start: float | None
    target: float | None
    change_db: float | None
    spoken: str
    because: str
    clause: str = ""

    @property
    def stays(self) -> bool:
        """Whether nothing is to be turned."""
        if self.start is None or self.target is None:
            return not self.change_db
        return self.start == self.target


def in_steps(change_db: float, step_db: float) -> float:
    """The change in whole steps of a control, dB; as it is where it has none."""
    return round(change_db / step_db) * step_db if step_db > 0 else change_db


def move_pad(
    controls: Sequence[GainControl], preamp: GainControl, change: float, clipped: bool
) -> tuple[float, Move | None]:
    """Whether a pad has to go in or come out, and the preamp's change that is left."""
    pad = next((control for control in controls if control.key == "pad"), None)
    if pad is None or pad.pad_db is None or preamp.position is None or preamp.unit != "dB":
        return change, None
    wanted = preamp.position + change
    if pad.position == 0 and preamp.low is not None and wanted < preamp.low:
        because = _(
            "The preamp goes down to {low:g} dB, and that is still too much.", low=preamp.low
        )
        return change + pad.pad_db, Move(
            "pad", pad.title, "switch", 0, 1, -pad.pad_db, _("switch it in"), because
        )
    if (
        pad.position == 1
        and preamp.high is not None
        and (wanted > preamp.high or change >= pad.pad_db)
    ):
        because = _(
            "The pad takes {pad_db:g} dB off, and the preamp has to add them again, with its"
            " noise.",
            pad_db=pad.pad_db,
        )
        return change - pad.pad_db, Move(
            "pad", pad.title, "switch", 1, 0, pad.pad_db, _("switch it out"), because
        )
    return change, None


def within_reach(preamp: GainControl, change: float) -> tuple[float, str]:
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
    if abs(reachable - change) < _EXACT_DB:
        return change, ""
    end = spoken(preamp.high if change > 0 else preamp.low, preamp.unit, preamp.step)
    rest = abs(change - reachable)
    if change > 0:
        return (
            reachable,
            (
                _(
                    "The knob ends at {end} and {rest:.0f} dB are still missing: go closer to"
                    " the microphone for the rest.",
                    end=end,
                    rest=rest,
                )
            ),
        )
    return (
        reachable,
        (
            _(
                "The knob ends at {end}, which is still {rest:.0f} dB too much: move back or"
                " switch a pad in.",
                end=end,
                rest=rest,
            )
        ),
    )


def moves_for(
    controls: Sequence[GainControl],
    preamp: GainControl,
    change: float,
    pad: Move | None,
    *,
    aim_dbfs: float,
) -> tuple[Move, ...]:
    """One move a control, in the order of the signal; one that changes nothing says so.

    ``change`` in dB; normal peaks belong at ``aim_dbfs``.
    """
    moves = []
    for control in controls:
        if control.key == "preamp":
            moves.append(_preamp_move(control, change, aim_dbfs))
        elif control.key == "pad":
            moves.append(
                pad
                or Move(
                    "pad",
                    control.title,
                    "switch",
                    control.position,
                    control.position,
                    0.0,
                    _("leave it in") if control.position else _("leave it out"),
                    _("Not needed otherwise."),
                )
            )
        else:
            moves.append(_rest_move(control))
    return tuple(moves)


def _preamp_move(control: GainControl, change: float, aim_dbfs: float) -> Move:
    because = _("All the gain you need is made here, before the converter.")
    if change == 0.0:
        leave = (
            _("leave it")
            if control.position is None
            else _(
                "leave it at {spoken}", spoken=spoken(control.position, control.unit, control.step)
            )
        )
        return Move(
            "preamp",
            control.title,
            control.unit,
            control.position,
            control.position,
            0.0,
            leave,
            because,
        )
    if control.unit == "dial" and control.position is not None and control.taper is not None:
        low = control.low if control.low is not None else min(control.taper.positions)
        high = control.high if control.high is not None else max(control.taper.positions)
        target = control.taper.position_for(control.position, change, low=low, high=high)
        guess = (
            "" if control.taper.covers(target) else _(" That mark is outside the learned range.")
        )
        at = spoken(control.position, "dial", control.step)
        to = spoken(target, "dial", control.step)
        return Move(
            "preamp",
            control.title,
            "dial",
            control.position,
            round(target, 2),
            change,
            _("turn from {at} to about {to}", at=at, to=to),
            because + guess,
            _(
                "turn the {title} from {at} to about {to}",
                title=within(control.title),
                at=at,
                to=to,
            ),
        )
    if control.position is None or control.unit == "dial":
        learn = (
            _(" Learn the dial to see this in its own numbers.") if control.unit == "dial" else ""
        )
        return Move(
            "preamp",
            control.title,
            control.unit,
            control.position,
            None,
            change,
            _("turn up {change:.3g} dB", change=change)
            if change > 0
            else _("turn down {change:.3g} dB", change=-change),
            because + learn,
        )
    target = control.position + change
    if control.low is None:
        return _by_ear_and_level(control, change, because, aim_dbfs)
    return Move(
        "preamp",
        control.title,
        "dB",
        control.position,
        target,
        change,
        _("turn from {position:g} to {target:g} dB", position=control.position, target=target),
        because,
    )


def _by_ear_and_level(control: GainControl, change: float, because: str, aim_dbfs: float) -> Move:
    """A knob whose scale nobody knows is turned by what the level shows."""
    at = control.position or 0.0
    peak = plain(aim_dbfs, 0)
    if change > 0:
        short = _("turn it up until normal talk peaks at about {peak} dBFS", peak=peak)
        whole = _("turn the gain knob up until normal talk peaks at about {peak} dBFS", peak=peak)
    else:
        short = _("turn it down until normal talk peaks at about {peak} dBFS", peak=peak)
        whole = _("turn the gain knob down until normal talk peaks at about {peak} dBFS", peak=peak)
    because += _(" That is about {size:.0f} dB.", size=abs(change))
    return Move(
        "preamp", control.title, "dB", control.position, at + change, change, short, because, whole
    )


def _rest_move(control: GainControl) -> Move:
    db = control.over_neutral_db()
    because = _(
        "After the converter: gain here raises its noise with the voice, so it stays at unity."
    )
    if control.position is None or control.neutral is None:
        return Move(
            control.key,
            control.title,
            control.unit,
            control.position,
            control.position,
            None,
            _("not known"),
            because,
        )
    if control.position == control.neutral:
        return Move(
            control.key,
            control.title,
            control.unit,
            control.position,
            control.position,
            0.0,
            _("leave it at {spoken}", spoken=spoken(control.position, control.unit)),
            because,
        )
    at, to = spoken(control.position, control.unit), spoken(control.neutral, control.unit)
    text = _("set from {at} to {to}", at=at, to=to)
    unknown = (
        _(" How many dB that is is unknown: set it first, then record normal talk again.")
        if db is None
        else ""
    )
    return Move(
        control.key,
        control.title,
        control.unit,
        control.position,
        control.neutral,
        None if db is None else -db,
        text,
        because + unknown,
        _("set the {title} from {at} to {to}", title=within(control.title), at=at, to=to),
    )
