"""What is said of a cause of drift, and what to do about it.

Source: practice: what a person can put back is told first, then that it can be kept.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.prove.drift import Drift, DriftCause
from obsidian_wren.core.prove.found import CheckReading, FoundDrift, ToldCause
from obsidian_wren.core.prove.moved import readings_of
from obsidian_wren.core.wording import _

_KEEP = _("or keep it and recalculate what depends on it")
_LOW_HZ, _HIGH_HZ = 500.0, 2000.0


@dataclass(frozen=True)
class DriftSentence:
    """What was found, and what to do."""

    sentence: str
    action: str


def tell(drift: Drift, *, distance_known: bool, cardioid_deg: float | None = None) -> FoundDrift:
    """A drift in words. ``cardioid_deg``: how far off its axis a cardioid stood then, None for
    another pattern."""
    readings = {
        row.name: CheckReading(row.then, row.now, row.unit, row.spread, row.beyond)
        for row in readings_of(drift.change)
    }
    causes = []
    for cause in drift.causes:
        words = say(cause, drift, distance_known=distance_known, cardioid_deg=cardioid_deg)
        causes.append(
            ToldCause(
                cause.code,
                cause.share,
                cause.estimate,
                cause.error,
                cause.then,
                cause.unit,
                words.sentence,
                words.action,
            )
        )
    return FoundDrift(drift.drifted, readings, tuple(causes))


def say(
    cause: DriftCause,
    drift: Drift,
    *,
    distance_known: bool = False,
    cardioid_deg: float | None = None,
) -> DriftSentence:
    """The sentence and the action of a cause. ``cardioid_deg``: how far off its axis a cardioid
    stood then, in degrees; None for another pattern, or where nobody said."""
    if cause.code == "distance":
        return _distance(cause, known=distance_known)
    if cause.code == "angle":
        return _angle(cause, cardioid_deg)
    if cause.estimate is None:
        return _WITHOUT_NUMBER[cause.code]
    size, more = f"{abs(cause.estimate):.1f} dB", cause.estimate > 0.0
    error = f"± {max(cause.error or 0.0, 0.1):.1f} dB"
    if cause.code == "noise":
        return _noise(drift, more=more)
    found = {
        "gain": (
            _(
                "Gain before the converter is {size} {higher}, {error}: voice and room moved"
                " together.",
                size=size,
                higher=_higher(more),
                error=error,
            ),
            _("Turn it {down} by {size}, {keep}.", down=_down(more), size=size, keep=_KEEP),
        ),
        "slider": (
            _(
                "A slider after the converter is {size} {higher}: voice, room and the"
                " converter's own steps moved together.",
                size=size,
                higher=_higher(more),
            ),
            _(
                "Move the system's input slider back, {size} {lower}, {keep}.",
                size=size,
                lower=_lower(more),
                keep=_KEEP,
            ),
        ),
        "pad": (
            (
                _("A pad of {estimate:.0f} dB was switched out.", estimate=abs(cause.estimate))
                if more
                else _("A pad of {estimate:.0f} dB was switched in.", estimate=abs(cause.estimate))
            ),
            (
                _("Switch it in again, {keep}.", keep=_KEEP)
                if more
                else _("Switch it out again, {keep}.", keep=_KEEP)
            ),
        ),
        "screen": (
            (
                _("Your voice is brighter and the room is not: a pop screen or foam was removed.")
                if more
                else _("Your voice is duller and the room is not: a pop screen or foam was added.")
            ),
            (
                _("Put it back, {keep}.", keep=_KEEP)
                if more
                else _("Remove it, {keep}.", keep=_KEEP)
            ),
        ),
        "hum": (
            _("Mains hum is {size} {higher}.", size=size, higher=_higher(more)),
            _("Look for something newly plugged in near the cable, and for a charger or a lamp.")
            if more
            else _("Nothing to do, {keep}.", keep=_KEEP),
        ),
        "reverb": (
            (
                _("The room is {size} stronger in proportion to your voice.", size=size)
                if more
                else _("The room is {size} weaker in proportion to your voice.", size=size)
            ),
            _(
                "Look for what changed: a door, a curtain, another room. Put it back, {keep}.",
                keep=_KEEP,
            ),
        ),
        "voice": (
            (
                _(
                    "You spoke {size} louder than at the calibration; the room and the gain"
                    " are the same.",
                    size=size,
                )
                if more
                else _(
                    "You spoke {size} softer than at the calibration; the room and the gain"
                    " are the same.",
                    size=size,
                )
            ),
            _(
                "Read the sentence again as you usually talk. If this is how you talk now,"
                " record your takes again."
            ),
        ),
    }
    if cause.code in found:
        return DriftSentence(*found[cause.code])
    return _WITHOUT_NUMBER[cause.code]


def _distance(cause: DriftCause, *, known: bool) -> DriftSentence:
    now, then = cause.estimate or 0.0, cause.then or 1.0
    farther = now > then
    error = _("± {max:.0f} cm", max=max(cause.error or 0.0, 1.0))
    way = _("farther from") if farther else _("closer to")
    if known:
        sentence = _(
            "You sit {way} the microphone: {then:.0f} → {now:.0f} {error}.",
            way=way,
            then=then,
            now=now,
            error=error,
        )
        back = _("Go back to {then:.0f} cm", then=then)
    else:
        ratio = now / then
        sentence = _(
            "You sit {way} the microphone, at {ratio:.2g} times the distance: {now:.0f}"
            " {error} if it was {then:.0f} cm.",
            way=way,
            ratio=ratio,
            now=now,
            error=error,
            then=then,
        )
        back = _("Go closer to where you sat") if farther else _("Go back to where you sat")
    return DriftSentence(sentence, _("{back}, {keep}.", back=back, keep=_KEEP))


def turned_to_deg(then_deg: float, change_db: float) -> float:
    """Off its axis in degrees, where the direct sound of a cardioid that stood at ``then_deg``
    changed by so many dB: its gain is half of 1 + cos."""
    gain = 0.5 * (1.0 + np.cos(np.radians(then_deg))) * 10.0 ** (change_db / 20.0)
    return float(np.degrees(np.arccos(np.clip(2.0 * gain - 1.0, -1.0, 1.0))))


def _angle(cause: DriftCause, then_deg: float | None) -> DriftSentence:
    change, error = cause.estimate or 0.0, cause.error or 0.1
    more = change > 0.0
    sentence = (
        _(
            "The microphone points more directly at your mouth: the direct sound is"
            " {change:.1f} dB {higher}, and low tones did not change",
            change=abs(change),
            higher=_higher(more),
        )
        if more
        else _(
            "The microphone points farther past your mouth: the direct sound is {change:.1f}"
            " dB {higher}, and low tones did not change",
            change=abs(change),
            higher=_higher(more),
        )
    )
    if then_deg is not None:
        now = turned_to_deg(then_deg, change)
        ends = [turned_to_deg(then_deg, change + way * error) for way in (-1.0, 1.0)]
        within = max(1.0, abs(ends[0] - ends[1]) / 2.0)
        sentence += _(
            ", like a cardioid turned from {then_deg:.0f} to {now:.0f} ± {within:.0f}°",
            then_deg=then_deg,
            now=now,
            within=within,
        )
    back = _("Turn it away as before") if more else _("Turn it back to your mouth")
    return DriftSentence(f"{sentence}.", _("{back}, {keep}.", back=back, keep=_KEEP))


def _noise(drift: Drift, *, more: bool) -> DriftSentence:
    change = drift.change
    moved = change.db[change.noise]
    power = np.abs(moved)
    centre = float(np.exp(np.sum(power * np.log(change.noise_hz)) / max(np.sum(power), 1e-9)))
    size = float(change.now.floor_dbfs_a - change.then.floor_dbfs_a)
    like = (
        _("like a fan, a heater or traffic")
        if centre < _LOW_HZ
        else _("like an open window, rain or a hissing device")
        if centre > _HIGH_HZ
        else _("like a fan, a computer or an open window")
    )
    if not more:
        return DriftSentence(
            _(
                "The room is quieter, by {size:.1f} dB(A): something that ran then is off.",
                size=abs(size),
            ),
            _("Nothing to put back. Recalculate what depends on the noise floor."),
        )
    return DriftSentence(
        _(
            "The room is louder, by {size:.1f} dB(A), {like}; your voice is not.",
            size=abs(size),
            like=like,
        ),
        _("Switch it off or close it, {keep}.", keep=_KEEP),
    )


def _higher(more: bool) -> str:
    return _("higher") if more else _("lower")


def _lower(more: bool) -> str:
    return _("lower") if more else _("higher")


def _down(more: bool) -> str:
    return _("down") if more else _("up")


_WITHOUT_NUMBER = {
    "processing": DriftSentence(
        _(
            "Something removes the noise before it gets here: enhancements of the computer or"
            " noise removal in the device are on."
        ),
        _("Switch them off, then check again."),
    ),
    "microphone": DriftSentence(
        _(
            "Voice and room changed in the same way: this is another microphone, channel or"
            " pattern."
        ),
        _(
            "Check which microphone and which channel are used. For a new microphone, calibrate"
            " again."
        ),
    ),
    "unexplained": DriftSentence(
        _("Part of the change has no cause that two takes can show."),
        _("Record the takes again, then recalculate."),
    ),
}
