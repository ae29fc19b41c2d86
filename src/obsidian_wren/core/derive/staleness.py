"""What a take was made at, and whether that still holds."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Basis:
    """Preamp gain in dB (None where unknown) and placement of the microphone."""

    gain_db: float | None
    distance_cm: float
    angle_deg: float


def why_stale(then: Basis, now: Basis) -> str | None:
    """The sentence that says what changed since, None when nothing did."""
    if then.gain_db != now.gain_db and then.gain_db is not None and now.gain_db is not None:
        return f"Measured at {then.gain_db:g} dB gain, now {now.gain_db:g}."
    if then.distance_cm != now.distance_cm:
        return f"Measured at {then.distance_cm:g} cm, now {now.distance_cm:g}."
    if then.angle_deg != now.angle_deg:
        return f"Measured {then.angle_deg:g}° off axis, now {now.angle_deg:g}°."
    return None
