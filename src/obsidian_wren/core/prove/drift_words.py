"""What is said of a cause of drift, and what to do about it.

Source: practice: what a person can put back is told first, then that it can be kept.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.prove.drift import Cause, Drift

_KEEP = "or keep it and recalculate what stands on it"
_LOW_HZ, _HIGH_HZ = 500.0, 2000.0


@dataclass(frozen=True)
class Said:
    """What was found, and what to do."""

    sentence: str
    action: str


def say(
    cause: Cause, drift: Drift, *, distance_known: bool = False, cardioid_deg: float | None = None
) -> Said:
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
            f"Gain before the converter is {size} {_higher(more)}, {error}: voice and"
            " room moved together.",
            f"Turn it {_down(more)} by {size}, {_KEEP}.",
        ),
        "slider": (
            f"A slider after the converter is {size} {_higher(more)}: voice and room moved"
            " together, and so did the converter's own steps.",
            f"Move the system's input slider back, {size} {_lower(more)}, {_KEEP}.",
        ),
        "pad": (
            f"A pad of {abs(cause.estimate):.0f} dB is {'out' if more else 'in'} now.",
            f"Switch it {'in' if more else 'out'} again, {_KEEP}.",
        ),
        "screen": (
            f"Your voice is {'brighter' if more else 'duller'} and the room is not: a pop screen or"
            f" foam was {'taken away' if more else 'put in front'}.",
            f"{'Put it back' if more else 'Take it away'}, {_KEEP}.",
        ),
        "hum": (
            f"Mains hum is {size} {_higher(more)}.",
            "Look for what was plugged in near the cable, and for a charger or a lamp."
            if more
            else f"Nothing to do, {_KEEP}.",
        ),
        "reverb": (
            f"The room is {size} {'stronger' if more else 'weaker'} beside your voice.",
            f"Look what changed: a door, a curtain, another room. Put it back, {_KEEP}.",
        ),
        "voice": (
            f"You spoke {size} {'louder' if more else 'softer'} than at the calibration; the room"
            " and the gain are the same.",
            "Say the sentence again as you usually talk. If this is how you talk now, record your"
            " takes again.",
        ),
    }
    if cause.code in found:
        return Said(*found[cause.code])
    return _WITHOUT_NUMBER[cause.code]


def _distance(cause: Cause, *, known: bool) -> Said:
    now, then = cause.estimate or 0.0, cause.then or 1.0
    farther = now > then
    error = f"± {max(cause.error or 0.0, 1.0):.0f} cm"
    way = "farther from" if farther else "closer to"
    if known:
        sentence = f"You sit {way} the microphone: {then:.0f} → {now:.0f} {error}."
        back = f"Go back to {then:.0f} cm"
    else:
        ratio = now / then
        sentence = (
            f"You sit {way} the microphone, at {ratio:.2g} times the distance: {now:.0f}"
            f" {error} if it was {then:.0f} cm."
        )
        back = f"Go {'closer' if farther else 'back'} to where you sat"
    return Said(sentence, f"{back}, {_KEEP}.")


def turned_to_deg(then_deg: float, change_db: float) -> float:
    """Off its axis in degrees, where the direct sound of a cardioid that stood at ``then_deg``
    changed by so many dB: its gain is half of 1 + cos."""
    gain = 0.5 * (1.0 + np.cos(np.radians(then_deg))) * 10.0 ** (change_db / 20.0)
    return float(np.degrees(np.arccos(np.clip(2.0 * gain - 1.0, -1.0, 1.0))))


def _angle(cause: Cause, then_deg: float | None) -> Said:
    change, error = cause.estimate or 0.0, cause.error or 0.1
    more = change > 0.0
    sentence = (
        f"The microphone points {'better at' if more else 'farther past'} your mouth: the direct"
        f" sound is {abs(change):.1f} dB {_higher(more)}, and low tones did not change"
    )
    if then_deg is not None:
        now = turned_to_deg(then_deg, change)
        ends = [turned_to_deg(then_deg, change + way * error) for way in (-1.0, 1.0)]
        within = max(1.0, abs(ends[0] - ends[1]) / 2.0)
        sentence += f", as of a cardioid turned from {then_deg:.0f} to {now:.0f} ± {within:.0f}°"
    back = "Turn it away as before" if more else "Turn it back to your mouth"
    return Said(f"{sentence}.", f"{back}, {_KEEP}.")


def _noise(drift: Drift, *, more: bool) -> Said:
    change = drift.change
    moved = change.db[change.noise]
    power = np.abs(moved)
    centre = float(np.exp(np.sum(power * np.log(change.noise_hz)) / max(np.sum(power), 1e-9)))
    size = float(change.now.floor_dbfs_a - change.then.floor_dbfs_a)
    like = (
        "as of a fan, a heater or traffic"
        if centre < _LOW_HZ
        else "as of an open window, rain or a hissing device"
        if centre > _HIGH_HZ
        else "as of a fan, a computer or an open window"
    )
    if not more:
        return Said(
            f"The room is quieter, by {abs(size):.1f} dB(A): something that ran then is off.",
            "Nothing to put back. Recalculate what stands on the noise floor.",
        )
    return Said(
        f"The room is louder, by {abs(size):.1f} dB(A), {like}; your voice is not.",
        f"Switch it off or close it, {_KEEP}.",
    )


def _higher(more: bool) -> str:
    return "higher" if more else "lower"


def _lower(more: bool) -> str:
    return "lower" if more else "higher"


def _down(more: bool) -> str:
    return "down" if more else "up"


_WITHOUT_NUMBER = {
    "processing": Said(
        "Something takes the noise away before it gets here: the computer's enhancements, or noise"
        " removal of the device, are on.",
        "Switch them off, then check again.",
    ),
    "microphone": Said(
        "Voice and room sound different alike: this is another microphone, channel or pattern.",
        "Check which microphone and which channel is used. For a new microphone, calibrate again.",
    ),
    "unexplained": Said(
        "A part of the change has no cause that can be told from two takes.",
        "Record the takes again, then recalculate.",
    ),
}
